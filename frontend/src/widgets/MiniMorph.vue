<script setup lang="ts">
/** A job's rows in miniature: source column, ribbons, target column, on one scale. */
import { computed } from "vue";
import type { JobLine } from "../api/client";
import { verdictName } from "./words";

const props = defineProps<{ job: JobLine }>();
const HEIGHT = 40;

const shapes = computed(() => {
  const source = props.job.source?.size_bytes ?? 0;
  const target = props.job.target?.size_bytes ?? 0;
  // What does not fit is stacked at its least sizes and runs past the end, as on Fit.
  const short = props.job.verdict === "does-not-fit";
  const taken = (row: JobLine["strip"][number]) => (short ? row.least_bytes : row.size_bytes);
  const stack = props.job.strip.reduce((sum, row) => sum + (taken(row) ?? 0), 0);
  const scale = (HEIGHT - 2) / Math.max(source, target, stack, target + props.job.headroom_short_bytes, 1);
  let left = 1;
  let right = 1;
  const rows = props.job.strip.map((row) => {
    const a = left;
    left += row.source_bytes * scale;
    const b = right;
    right += (taken(row) ?? 0) * scale;
    return { number: row.number, change: row.change, a, a2: left, b, b2: right, there: taken(row) !== null };
  });
  const over = short ? Math.max(3, (stack - target) * scale) : 0;
  // Headroom that is cut: hollow past the end, where a comfortable plan would have ended.
  const cut = props.job.verdict === "tight" ? Math.max(2.5, props.job.headroom_short_bytes * scale) : 0;
  return { rows, source: source * scale, target: target * scale, over, cut };
});
</script>

<template>
  <svg
    viewBox="0 0 84 40"
    width="84"
    height="40"
    role="img"
    :aria-label="job.verdict ? verdictName(job.verdict) : 'no plan yet'"
  >
    <rect class="open" x="1" y="1" width="12" :height="shapes.source" />
    <rect class="open" x="71" y="1" width="12" :height="shapes.target" />
    <g v-for="row in shapes.rows" :key="row.number" :class="row.change">
      <path
        v-if="row.there"
        class="ribbon"
        :d="`M13 ${row.a}C42 ${row.a} 42 ${row.b} 71 ${row.b}V${row.b2}C42 ${row.b2} 42 ${row.a2} 13 ${row.a2}Z`"
      />
      <rect class="block" x="1" :y="row.a" width="12" :height="Math.max(0.6, row.a2 - row.a - 0.5)" />
      <rect v-if="row.there" class="block" x="71" :y="row.b" width="12" :height="Math.max(0.6, row.b2 - row.b - 0.5)" />
    </g>
    <rect v-if="shapes.cut" class="cut" x="69" :y="1.5 + shapes.target" width="14" :height="shapes.cut" data-cut />
    <rect v-if="shapes.over" class="over" x="68.5" :y="1 + shapes.target" width="14.8" :height="shapes.over" />
  </svg>
</template>

<style scoped>
.block {
  fill: currentColor;
  opacity: 0.75;
}
.ribbon {
  fill: currentColor;
  opacity: 0.18;
}
.left .block {
  fill: none;
  stroke: currentColor;
  stroke-dasharray: 2 2;
}
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
.open {
  fill: none;
  stroke: var(--sand);
  stroke-width: 0.8;
  stroke-dasharray: 2 2;
}
</style>
