<script setup lang="ts">
/** Two plans of this job side by side: any two fits, or any two changes of its history. */
import { useEventListener } from "@vueuse/core";
import { computed, ref, shallowRef, watch } from "vue";
import { client, data, type Card, type Change, type Job, type Schemas } from "../api/client";
import type { JobStore } from "../api/jobs";
import BetterMark from "./BetterMark.vue";
import PairPicture from "./PairPicture.vue";
import FindingList from "../widgets/FindingList.vue";
import PickOne from "../widgets/PickOne.vue";
import { inField } from "../widgets/keys";
import { size, units } from "../widgets/units";
import { FIT_NAMES, FITS, verdictName } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: Job; store: JobStore }>();
const open = defineModel<boolean>("open", { required: true });
const first = ref("now");
// Another fit that comes out otherwise; two columns of the same figures compare nothing.
const sizes = (card: Card) => JSON.stringify(card.sizes.map(({ row, bytes }) => [row, bytes]));
const own = props.job.morph?.cards.find((card) => card.fit === props.job.morph?.plan.fit);
const others = (props.job.morph?.cards ?? []).filter((card) => own && sizes(card) !== sizes(own));
const other = others.find((card) => card.verdict !== "does-not-fit") ?? others[0];
const second = ref<string>(other?.fit ?? "snug");
const found = shallowRef<Schemas["ComparisonModel"] | null>(null);
const trouble = ref("");
const revisions = shallowRef<Schemas["RevisionModel"][]>([]);

const choices = computed(() => [
  { value: "now", label: "As it stands" },
  ...FITS.map((fit) => ({ value: fit as string, label: `Fit: ${FIT_NAMES[fit]}` })),
  ...revisions.value
    .filter((entry) => !entry.thin)
    .map((entry) => ({ value: `r${entry.number}`, label: `Change ${entry.number}: ${entry.sentence}` })),
]);

let round = 0;
watch(
  [first, second, units, () => props.job.version],
  async () => {
    const mine = ++round;
    const params = {
      path: { job_id: props.job.id },
      query: { first: first.value, second: second.value, units: units.value },
    };
    try {
      const [read, history] = await Promise.all([
        data(client.GET("/api/jobs/{job_id}/compare", { params })),
        props.store.history(),
      ]);
      if (mine === round) [found.value, revisions.value, trouble.value] = [read, history.revisions, ""];
    } catch (error) {
      if (mine === round) trouble.value = (error as Error).message;
    }
  },
  { immediate: true },
);

/** What makes the second plan the job's own; nothing where it is that already. */
const takeable = computed(() => second.value !== "now" && !props.job.closed);
async function take(): Promise<void> {
  if (!takeable.value) return;
  const name = second.value;
  const fit = FITS.find((key) => key === name);
  const body: Change | null = fit ? { kind: "fit", fit } : null;
  if (await (body ? props.store.change(body) : props.store.goTo(Number(name.slice(1))))) open.value = false;
}
useEventListener(window, "keydown", (event: KeyboardEvent) => {
  if (!open.value || inField(event) || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key.toLowerCase() === "t") void take();
  else if (event.key.toLowerCase() === "x") [first.value, second.value] = [second.value, first.value];
  else return;
  event.preventDefault();
  event.stopImmediatePropagation();
});

const sides = computed(() => (found.value ? [found.value.first, found.value.second] : []));
const shown = (bytes: number | null | undefined, none: string) =>
  bytes == null ? none : bytes === 0 ? "nothing" : size(bytes);
const isBetter = (which: number | null | undefined, index: number) => which === index;
function difference(pair: (number | null)[]): string {
  const [a, b] = pair;
  if (a == null || b == null || a === b) return "";
  return `${b > a ? "+" : ""}${size(b - a)}`;
}
const sum = (name: "open_bytes" | "carried_bytes" | "packed_bytes") => sides.value.map((side) => side[name]);
type ByScript = Schemas["SideModel"]["by_script"];
const BY_SCRIPT = [
  { name: "By our script", of: (one: ByScript) => one?.time ?? "no way" },
  { name: "Its workspace", of: (one: ByScript) => shown(one?.workspace_bytes, "") },
] as const;
const LINES = [
  { key: "open_bytes", name: "Left open" },
  { key: "carried_bytes", name: "Goes over" },
  { key: "packed_bytes", name: "Packed first" },
] as const;
</script>

<template>
  <a-modal v-model:open="open" title="Two plans side by side" :footer="null" width="860px">
    <div class="pick">
      <PickOne v-model="first" :choices="choices" label="First plan" />
      <span class="muted">against</span>
      <PickOne v-model="second" :choices="choices" label="Second plan" />
      <a-button size="small" @click="[first, second] = [second, first]">Exchange <kbd>X</kbd></a-button>
      <a-button type="primary" size="small" class="take" :disabled="!takeable" @click="take">
        Take the second <kbd>T</kbd>
      </a-button>
    </div>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <a-spin v-else-if="!found" />
    <template v-else>
      <div class="pictures">
        <figure v-for="(side, index) in sides" :key="index">
          <figcaption>
            <b>{{ side.title }}</b> <span class="muted">{{ verdictName(side.verdict) }}</span>
          </figcaption>
          <PairPicture :found="found" :index="index" />
        </figure>
      </div>
      <table class="plain">
        <caption class="sr-only">
          Sizes and free space of both plans
        </caption>
        <thead>
          <tr>
            <th scope="col">Row</th>
            <th v-for="(side, index) in sides" :key="index" scope="col" class="num">{{ side.title }}</th>
            <th scope="col" class="num">Difference</th>
            <th scope="col" class="num">Free, first</th>
            <th scope="col" class="num">Free, second</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <th scope="row">Verdict</th>
            <td v-for="(side, index) in sides" :key="index" class="num">
              <BetterMark :on="isBetter(found.better.verdict, index)" /><b>{{ verdictName(side.verdict) }}</b>
            </td>
            <td colspan="3"></td>
          </tr>
          <tr>
            <th scope="row">Time</th>
            <td v-for="(side, index) in sides" :key="index" class="num">
              <BetterMark :on="isBetter(found.better.time, index)" />{{ side.time || "no way" }}
            </td>
            <td colspan="3"></td>
          </tr>
          <tr v-for="line in BY_SCRIPT" :key="line.name">
            <th scope="row">{{ line.name }}</th>
            <td v-for="(side, index) in sides" :key="index" class="num">{{ line.of(side.by_script) }}</td>
            <td colspan="3"></td>
          </tr>
          <tr v-for="row in found.rows" :key="row.number">
            <th scope="row">{{ row.label }}</th>
            <td v-for="(bytes, index) in row.sizes" :key="index" class="num" :class="row.changes[index]">
              {{ shown(bytes, row.changes[index] === "left" ? "left behind" : row.changes[index] ? "no layout" : "") }}
            </td>
            <td class="num">{{ difference(row.sizes) }}</td>
            <td v-for="(bytes, index) in row.frees" :key="`f${index}`" class="num">
              <BetterMark :on="isBetter(row.better, index)" />{{ shown(bytes, "") }}
            </td>
          </tr>
          <tr v-for="line in LINES" :key="line.key">
            <th scope="row">{{ line.name }}</th>
            <td v-for="(bytes, index) in sum(line.key)" :key="index" class="num">
              <BetterMark v-if="line.key === 'packed_bytes'" :on="isBetter(found.better.packed_bytes, index)" />
              {{ shown(bytes, sides[index]?.verdict === "does-not-fit" ? "no layout" : "not known") }}
            </td>
            <td class="num">{{ difference(sum(line.key)) }}</td>
            <td colspan="2"></td>
          </tr>
        </tbody>
      </table>
      <div class="findings">
        <section>
          <h2>Findings gained</h2>
          <FindingList :findings="found.gained" />
          <p v-if="!found.gained.length" class="muted">none</p>
        </section>
        <section>
          <h2>Findings lost</h2>
          <FindingList :findings="found.lost" />
          <p v-if="!found.lost.length" class="muted">none</p>
        </section>
      </div>
    </template>
  </a-modal>
</template>

<style scoped>
.pick {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-bottom: 10px;
}
.take {
  margin-left: auto;
}
.pictures {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 20px;
  margin-bottom: 10px;
}
figure {
  margin: 0;
}
.pick select {
  max-width: 360px;
}
tbody th {
  font-weight: 500;
  color: var(--ink);
}
.findings {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 20px;
  margin-top: 12px;
}
@media (max-width: 720px) {
  .findings {
    grid-template-columns: 1fr;
  }
}
</style>
