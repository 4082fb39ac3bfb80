<script setup lang="ts">
/** A job's rows in miniature: source column, ribbons, target column, on one scale. */
import { computed } from "vue";
import type { JobLine } from "../api/client";
import RowShapes from "./RowShapes.vue";
import { verdictName } from "./words";

const props = defineProps<{ job: JobLine }>();
const HEIGHT = 40;
const WIDTH = 84;
const BAR = 12;

const shapes = computed(() => {
  const source = props.job.source?.size_bytes ?? 0;
  const target = props.job.target?.size_bytes ?? 0;
  // What does not fit is stacked at its least sizes and runs past the end, as on Fit.
  const short = props.job.verdict === "does-not-fit";
  const taken = (row: JobLine["strip"][number]) => (short ? row.least_bytes : row.size_bytes);
  const stack = props.job.strip.reduce((sum, row) => sum + (taken(row) ?? 0), 0);
  const scale = (HEIGHT - 2) / Math.max(source, target, stack, target + props.job.headroom_short_bytes, 1);
  const rows = props.job.strip.map((row) => {
    const size = taken(row);
    const { number, change, source_bytes } = row;
    return { number, change, source: source_bytes * scale, target: size === null ? null : size * scale };
  });
  const over = short ? Math.max(3, (stack - target) * scale) : 0;
  // Headroom that is cut: hollow past the end, where a comfortable plan would have ended.
  const cut = props.job.verdict === "tight" ? Math.max(2.5, props.job.headroom_short_bytes * scale) : 0;
  return { rows, source: source * scale, target: target * scale, over, cut };
});
</script>

<template>
  <svg
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    :width="WIDTH"
    :height="HEIGHT"
    role="img"
    :aria-label="job.verdict ? verdictName(job.verdict) : 'no plan yet'"
  >
    <RowShapes :rows="shapes.rows" :width="WIDTH" :bar="BAR" :source="shapes.source" :target="shapes.target" />
    <rect v-if="shapes.cut" class="cut" x="69" :y="1.5 + shapes.target" width="14" :height="shapes.cut" data-cut />
    <rect v-if="shapes.over" class="over" x="68.5" :y="1 + shapes.target" width="14.8" :height="shapes.over" />
  </svg>
</template>

<style scoped>
.over {
  fill: var(--ink);
  stroke: var(--card);
}
.cut {
  fill: none;
  stroke: var(--ink);
  stroke-width: 0.9;
  stroke-dasharray: 1.5 1.5;
}
</style>
