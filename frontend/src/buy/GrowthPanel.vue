<script setup lang="ts">
/** How long the plan lasts: each row's yearly growth, typed or from surveys, and when its headroom and it are full. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { lastingQuery, type GrowingRow } from "../api/buy";
import type { Job } from "../api/client";
import type { JobStore } from "../api/jobs";
import { size } from "../widgets/units";
import { picture } from "./growth";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: Job; store: JobStore }>();
const { data, error } = useQuery(computed(() => lastingQuery(props.job)));
const [WIDTH, HEIGHT] = [330, 96];
const typed = ref<Record<number, string>>({});
const wrong = props.store.refusedIn("growth");

const pictures = computed(
  () =>
    new Map((data.value?.rows ?? []).map((row) => [row.number, picture(row, data.value?.since ?? "", WIDTH, HEIGHT)])),
);
const points = (list: { x: number; y: number }[]) => list.map((point) => `${point.x},${point.y}`).join(" ");

async function set(row: GrowingRow): Promise<void> {
  const text = (typed.value[row.number] ?? "").trim();
  const bare = /^\d+([.,]\d+)?$/.test(text) ? `${text.replace(",", ".")} GiB` : text;
  const done = await props.store.change({ kind: "growth", row: row.number, size: bare }, "growth");
  if (done) typed.value = { ...typed.value, [row.number]: "" };
}
function from(row: GrowingRow): string {
  if (row.typed_bytes !== null) return `${size(row.typed_bytes)} a year, as typed`;
  if (!row.lasting) return row.readings.length ? "one survey so far" : "no survey with a date";
  const { low_bytes: low, high_bytes: high, per_year_bytes: per, readings } = row.lasting;
  const sure = low === high ? "" : `, between ${size(low)} and ${size(high)}`;
  return `${size(per)} a year from ${readings} surveys${sure}`;
}
</script>

<template>
  <section class="card" aria-label="How long it lasts">
    <h2>How long it lasts</h2>
    <TroubleLine v-if="error">{{ error.message }}</TroubleLine>
    <TroubleLine v-if="wrong">{{ wrong.message }}</TroubleLine>
    <p v-if="data && !data.rows.length" class="muted">No row of this source tells how much it holds.</p>
    <ul v-else class="rows">
      <li v-for="row in data?.rows ?? []" :key="row.number">
        <div class="words">
          <b>{{ row.label }}</b>
          <p>{{ row.lasting?.text ?? (job.target_head ? "not known" : "choose a target first") }}</p>
          <p class="muted">{{ from(row) }}</p>
          <form @submit.prevent="set(row)">
            <label :for="`grows-${row.number}`">Grows a year by</label>
            <a-input
              :id="`grows-${row.number}`"
              v-model:value="typed[row.number]"
              class="fig"
              size="small"
              placeholder="20 GiB"
              :maxlength="40"
            />
            <a-button size="small" html-type="submit" :disabled="!typed[row.number]?.trim()">Set</a-button>
            <a-button
              v-if="row.typed_bytes !== null"
              size="small"
              type="text"
              @click="store.change({ kind: 'growth', row: row.number, size: '' }, 'growth')"
            >
              As surveys tell
            </a-button>
          </form>
        </div>
        <svg
          v-if="pictures.get(row.number)"
          class="chart"
          :viewBox="`-2 -14 ${WIDTH + 60} ${HEIGHT + 32}`"
          role="img"
          :aria-label="`Used space of ${row.label} over the years: ${row.lasting?.text}`"
        >
          <template v-for="shape in [pictures.get(row.number)!]" :key="shape.size">
            <polygon v-if="shape.band.length" class="band" :points="points(shape.band)" />
            <line class="size" x1="0" :x2="WIDTH" :y1="shape.size" :y2="shape.size" />
            <line class="limit" x1="0" :x2="WIDTH" :y1="shape.limit" :y2="shape.limit" />
            <text :x="WIDTH + 4" :y="shape.size + 1">full</text>
            <text :x="WIDTH + 4" :y="Math.max(shape.size + 15, shape.limit + 5)">headroom</text>
            <polyline class="used" :points="points(shape.line)" />
            <circle v-for="(point, place) in shape.readings" :key="place" r="3" :cx="point.x" :cy="point.y" />
            <line
              v-if="shape.full !== null"
              class="tick"
              :x1="shape.full"
              :x2="shape.full"
              :y1="shape.size"
              :y2="HEIGHT"
            />
            <line class="base" x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" />
            <text v-for="year in shape.years" :key="year.label" class="muted" :x="year.x" :y="HEIGHT + 14">
              {{ year.label }}
            </text>
          </template>
        </svg>
      </li>
    </ul>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 8px;
}
.rows {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 560px), 1fr));
  gap: 12px 28px;
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 12px;
  align-items: center;
}
.words {
  display: grid;
  gap: 2px;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  margin-top: 4px;
}
form .ant-input {
  width: 84px;
}
text.muted {
  text-anchor: middle;
}
.used {
  fill: none;
  stroke: var(--grows);
  stroke-width: 2;
}
.band {
  fill: var(--grows);
  opacity: 0.18;
}
circle {
  fill: var(--grows);
}
.size,
.base {
  stroke: var(--ink);
}
.limit {
  stroke: var(--ink);
  stroke-dasharray: 2 3;
}
.tick {
  stroke: var(--sand);
}
@media (max-width: 640px) {
  li {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
