<script setup lang="ts">
/** One of two compared plans as a small morph; both are drawn on one scale. */
import { computed } from "vue";
import type { Schemas } from "../api/client";
import { verdictName } from "../widgets/words";

const props = defineProps<{ found: Schemas["ComparisonModel"]; index: number }>();
const HEIGHT = 92;
const WIDTH = 380;
const BAR = 30;

const shapes = computed(() => {
  const { found, index } = props;
  const scale = (HEIGHT - 2) / Math.max(found.source_bytes, ...found.targets, 1);
  let left = 1;
  let right = 1;
  const rows = found.rows.map((row) => {
    const a = left;
    left += row.source_bytes * scale;
    const b = right;
    right += (row.sizes[index] ?? 0) * scale;
    return {
      ...row,
      a,
      a2: left,
      b,
      b2: right,
      there: row.sizes[index] !== null,
      change: row.changes[index] ?? "left",
    };
  });
  return { rows, source: found.source_bytes * scale, target: (found.targets[index] ?? 0) * scale };
});
const side = computed(() => (props.index ? props.found.second : props.found.first));
const MID = WIDTH / 2;
</script>

<template>
  <svg
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    role="img"
    :aria-label="`${side.title}: ${verdictName(side.verdict)}`"
    preserveAspectRatio="none"
  >
    <rect class="open" x="1" y="1" :width="BAR" :height="shapes.source" />
    <rect class="open" :x="WIDTH - BAR - 1" y="1" :width="BAR" :height="shapes.target" />
    <g v-for="row in shapes.rows" :key="row.number" :class="row.change">
      <title>{{ row.label }}</title>
      <path
        v-if="row.there"
        class="ribbon"
        :d="`M${BAR + 1} ${row.a}C${MID} ${row.a} ${MID} ${row.b} ${WIDTH - BAR - 1} ${row.b}V${row.b2}C${MID} ${row.b2} ${MID} ${row.a2} ${BAR + 1} ${row.a2}Z`"
      />
      <rect class="block" x="1" :y="row.a" :width="BAR" :height="Math.max(0.6, row.a2 - row.a - 0.6)" />
      <rect
        v-if="row.there"
        class="block"
        :x="WIDTH - BAR - 1"
        :y="row.b"
        :width="BAR"
        :height="Math.max(0.6, row.b2 - row.b - 0.6)"
      />
    </g>
    <text v-if="side.verdict === 'does-not-fit'" :x="WIDTH - BAR - 10" y="20" text-anchor="end">no layout</text>
  </svg>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  height: 92px;
}
.block {
  fill: currentColor;
  opacity: 0.8;
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
.open {
  fill: none;
  stroke: var(--sand);
  stroke-dasharray: 2 2;
}
text {
  font-size: 12px;
  fill: var(--muted);
}
</style>
