<script setup lang="ts">
/** The rehearsal as a film: a column for each disk, what the step moves is lit; played, paused, stepped. */
import { useIntervalFn } from "@vueuse/core";
import { computed, watch } from "vue";
import type { Carry, Steps } from "../api/carry";
import type { Job } from "../api/client";
import { exact, size } from "../widgets/units";
import { filmColumns, soFar } from "./film";

const props = defineProps<{ carry: Carry; steps: Steps; job: Job }>();
const step = defineModel<number>("step", { required: true });
const HEIGHT = 300;
const [LEFT, WIDTH, GAP] = [10, 86, 46];

const sector = computed(() => props.steps.disks.source?.logical_sector_bytes ?? 512);
const last = computed(() => Math.max(0, props.carry.film.length - 1));
const { pause, resume, isActive } = useIntervalFn(
  () => {
    if (step.value >= last.value) pause();
    else step.value += 1;
  },
  900,
  { immediate: false },
);
function play(): void {
  if (isActive.value) return pause();
  if (step.value >= last.value) step.value = 0;
  resume();
}
const go = (to: number) => {
  pause();
  step.value = Math.min(last.value, Math.max(0, to));
};
watch(last, () => (step.value = Math.min(step.value, last.value)));
defineExpose({ play, go });

const disks = computed(() =>
  Object.entries(props.steps.disks)
    .filter(([name]) => name !== "source" || props.job.options.in_place !== "yes") // one disk is shown once
    .map(([name, shape]) => ({ name, sectors: shape?.sectors ?? 1 })),
);
const columns = computed(() => filmColumns(props.carry.film, step.value, disks.value, HEIGHT));
const name = (disk: string): string =>
  disk === "image" ? "Image" : (disk === "source" ? props.job.source_head : props.job.target_head)?.model || disk;
const changeOf = (row: number) => props.steps.plan.rows.find((one) => one.number === row)?.change ?? "holds";
const labelOf = (row: number) => props.steps.plan.rows.find((one) => one.number === row)?.label ?? String(row);
const now = computed(() => props.steps.steps[step.value - 1]);
const moved = computed(() => soFar(props.steps.steps, step.value));
const whole = computed(() => soFar(props.steps.steps, props.steps.steps.length));
const x = (index: number) => LEFT + index * (WIDTH + GAP);
const sentence = computed(() => {
  if (!now.value) return "Before the first step";
  return `Step ${now.value.number} of ${props.steps.steps.length}: ${now.value.say}`;
});
const failed = computed(() => {
  const found = props.carry.steps?.rehearsal;
  return found && !found.safe ? `Step ${found.step}${found.row ? `, row ${found.row}` : ""}: ${found.reason}` : "";
});
</script>

<template>
  <section class="card film" aria-label="Rehearsal">
    <div class="head">
      <h2>Rehearsal</h2>
      <a-tag v-if="failed" class="tag stop">{{ failed }}</a-tag>
      <span v-else class="muted">{{ steps.steps.length }} steps, nothing lost</span>
    </div>
    <svg
      class="morph"
      :viewBox="`0 0 ${x(columns.length) - GAP + LEFT} ${HEIGHT + 44}`"
      preserveAspectRatio="xMinYMin"
      role="img"
      :aria-label="sentence"
    >
      <g v-for="(column, index) in columns" :key="column.disk" :transform="`translate(${x(index)} 24)`">
        <text class="small strong" y="-9">{{ name(column.disk) }}</text>
        <rect class="open" x="0.5" y="0.5" :width="WIDTH - 1" :height="Math.max(2, column.height - 1)" />
        <text class="small fig" :y="column.height + 14">{{ size(column.sectors * sector) }}</text>
        <g
          v-for="block in column.blocks"
          :key="`${block.row}-${block.first_lba}-${block.sectors}`"
          :class="[changeOf(block.row), { lit: block.lit }]"
        >
          <title>{{ labelOf(block.row) }} · {{ exact(block.sectors * sector, sector) }}</title>
          <rect class="block" :y="block.y" :width="WIDTH" :height="Math.max(2, block.height - 1)" />
          <text v-if="block.height > 14" class="small" x="6" :y="block.y + Math.min(block.height / 2 + 4, 16)">
            {{ labelOf(block.row).slice(0, 12) }}
          </text>
        </g>
      </g>
    </svg>
    <p class="say" role="status">{{ sentence }}</p>
    <div class="controls no-print">
      <a-button size="small" aria-label="To the first frame" @click="go(0)">⇤</a-button>
      <a-button size="small" aria-label="One step back" @click="go(step - 1)">←</a-button>
      <a-button size="small" :aria-label="isActive ? 'Pause' : 'Play'" @click="play">
        {{ isActive ? "Pause" : "Play" }}
      </a-button>
      <a-button size="small" aria-label="One step forth" @click="go(step + 1)">→</a-button>
      <input
        type="range"
        min="0"
        :max="last"
        :value="step"
        aria-label="Step of the rehearsal"
        @input="go(Number(($event.target as HTMLInputElement).value))"
      />
    </div>
    <dl class="pairs sums">
      <dt>Written so far</dt>
      <dd class="fig">
        {{ moved === null ? "not known" : size(moved) }} of {{ whole === null ? "not known" : size(whole) }}
      </dd>
      <dt>Time so far</dt>
      <dd class="fig">{{ now?.until ?? "nothing" }} of {{ steps.steps.at(-1)?.until ?? "nothing" }}</dd>
    </dl>
  </section>
</template>

<style scoped>
.film {
  display: grid;
  gap: 8px;
}
.head {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
svg {
  width: 100%;
  max-height: 340px;
}
.open {
  fill: none;
  stroke: var(--sand);
  stroke-dasharray: 3 3;
}
.block {
  fill: currentColor;
  opacity: var(--room);
}
.lit .block {
  opacity: 1;
}
svg .lit text {
  fill: var(--card);
  font-weight: 600;
}
.say {
  min-height: 36px;
}
.controls {
  display: flex;
  gap: 6px;
  align-items: center;
}
.controls input {
  flex: 1;
  accent-color: var(--action);
}
.sums {
  gap: 0 10px;
}
</style>
