<script setup lang="ts">
/** What of a disk its table cannot name: there, and out of reach. */
import { size } from "../widgets/units";
import { COLUMN, type Stretch } from "./geometry";

defineProps<{ stretch: Stretch; x: number; textX: number; after?: boolean }>();
</script>

<template>
  <g class="beyond" data-beyond>
    <rect :x="x + 0.5" :y="stretch.y + 1.5" :width="COLUMN - 1" :height="Math.max(1, stretch.height - 2)" />
    <path
      v-for="step in Math.max(0, Math.floor(stretch.height / 12))"
      :key="step"
      :d="`M${x + 6} ${stretch.y + step * 12}h${COLUMN - 12}`"
    />
    <template v-if="stretch.height > 20">
      <text class="small" :text-anchor="after ? 'start' : 'end'" :x="textX" :y="stretch.y + stretch.height / 2 - 2">
        {{ size(stretch.bytes) }} past {{ size(stretch.from) }}
      </text>
      <text
        v-if="stretch.height > 40"
        class="muted small"
        :text-anchor="after ? 'start' : 'end'"
        :x="textX"
        :y="stretch.y + stretch.height / 2 + 14"
      >
        an MBR table cannot name it
      </text>
    </template>
  </g>
</template>

<style scoped>
rect {
  fill: none;
  stroke: var(--muted);
}
path {
  stroke: var(--muted);
  stroke-dasharray: 1 4;
}
</style>
