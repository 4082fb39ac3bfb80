<script setup lang="ts">
/** Rows as two columns with ribbons between them, for pictures too small for figures. */
import { computed } from "vue";

export interface RowShape {
  number: number;
  change: string;
  source: number; // heights in the picture
  target: number | null;
  label?: string;
}
const props = defineProps<{ rows: RowShape[]; width: number; bar: number; source: number; target: number }>();
const right = computed(() => props.width - props.bar - 1);
const left = computed(() => props.bar + 1);
const shapes = computed(() => {
  let a = 1;
  let b = 1;
  return props.rows.map((row) => {
    const shape = { ...row, a, b, there: row.target !== null };
    a += row.source;
    b += row.target ?? 0;
    return { ...shape, a2: a, b2: b };
  });
});
function ribbon(shape: { a: number; a2: number; b: number; b2: number }): string {
  const mid = props.width / 2;
  return (
    `M${left.value} ${shape.a}C${mid} ${shape.a} ${mid} ${shape.b} ${right.value} ${shape.b}V${shape.b2}` +
    `C${mid} ${shape.b2} ${mid} ${shape.a2} ${left.value} ${shape.a2}Z`
  );
}
const tall = (from: number, to: number) => Math.max(0.6, to - from - 0.5);
</script>

<template>
  <rect class="open" x="1" y="1" :width="bar" :height="source" />
  <rect class="open" :x="right" y="1" :width="bar" :height="target" />
  <g v-for="row in shapes" :key="row.number" :class="row.change">
    <title v-if="row.label">{{ row.label }}</title>
    <path v-if="row.there" class="ribbon" :d="ribbon(row)" />
    <rect class="block" x="1" :y="row.a" :width="bar" :height="tall(row.a, row.a2)" />
    <rect v-if="row.there" class="block" :x="right" :y="row.b" :width="bar" :height="tall(row.b, row.b2)" />
  </g>
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
.open {
  fill: none;
  stroke: var(--sand);
  stroke-width: 0.8;
  stroke-dasharray: 2 2;
}
</style>
