<script setup lang="ts">
/** One of two compared plans as a small morph; both are drawn on one scale. */
import { computed } from "vue";
import type { Schemas } from "../api/client";
import RowShapes from "../widgets/RowShapes.vue";
import { verdictName } from "../widgets/words";

const props = defineProps<{ found: Schemas["ComparisonModel"]; index: number }>();
const HEIGHT = 92;
const WIDTH = 380;
const BAR = 30;

const scale = computed(() => (HEIGHT - 2) / Math.max(props.found.source_bytes, ...props.found.targets, 1));
const rows = computed(() =>
  props.found.rows.map((row) => {
    const size = row.sizes[props.index] ?? null;
    const change = row.changes[props.index] ?? "left";
    const { number, label, source_bytes } = row;
    return {
      number,
      label,
      change,
      source: source_bytes * scale.value,
      target: size === null ? null : size * scale.value,
    };
  }),
);
const side = computed(() => (props.index ? props.found.second : props.found.first));
</script>

<template>
  <svg
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    role="img"
    :aria-label="`${side.title}: ${verdictName(side.verdict)}`"
    preserveAspectRatio="none"
  >
    <RowShapes
      :rows="rows"
      :width="WIDTH"
      :bar="BAR"
      :source="found.source_bytes * scale"
      :target="(found.targets[index] ?? 0) * scale"
    />
    <text v-if="side.verdict === 'does-not-fit'" :x="WIDTH - BAR - 10" y="20" text-anchor="end">no layout</text>
  </svg>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  height: 92px;
}
text {
  font-size: 12px;
  fill: var(--muted);
}
</style>
