<script setup lang="ts">
/** One disk as a column: used space solid, room pale, unallocated open; on the target the floors across each block. */
import type { PlanRow } from "../api/client";
import { exact } from "../widgets/units";
import { COLUMN, type Block } from "./geometry";

const props = defineProps<{
  blocks: Block[];
  x: number;
  rowOf: (number: number | null) => PlanRow | undefined;
  sector: number;
  isTarget?: boolean;
}>();
const chosen = defineModel<number | null>("chosen", { required: true });
const emit = defineEmits<{ lift: [event: PointerEvent, row: number] }>();

/** The height of the used part of a block. */
function used(block: Block): number {
  const row = props.rowOf(block.row);
  const bytes = props.isTarget ? (row?.floor_lines?.carried_bytes ?? row?.used_bytes) : row?.used_bytes;
  return bytes && block.bytes ? Math.max(0, block.height - 1) * Math.min(1, bytes / block.bytes) : 0;
}

/** Lines across a target block at its floors, as far as they lie inside it. */
function floors(block: Block): { name: string; y: number }[] {
  const row = props.rowOf(block.row);
  if (!props.isTarget || !row || block.height <= 12) return [];
  const marks = [
    { name: "hard", bytes: row.hard_floor_bytes },
    { name: "comfort", bytes: row.comfort_floor_bytes },
  ];
  return marks.flatMap(({ name, bytes }) =>
    bytes !== null && bytes <= block.bytes ? [{ name, y: block.y + (block.height * bytes) / block.bytes }] : [],
  );
}
</script>

<template>
  <g v-for="(block, index) in blocks" :key="index" @click="block.row && (chosen = block.row)">
    <rect
      v-if="block.row === null"
      class="open"
      :x="x + 0.5"
      :y="block.y + 0.5"
      :width="COLUMN - 1"
      :height="Math.max(1, block.height - 1)"
    />
    <g
      v-else
      :class="[rowOf(block.row)?.dropped ? 'made dropped' : rowOf(block.row)?.change, 'block']"
      :data-block="isTarget ? block.row : undefined"
      @pointerdown="isTarget && emit('lift', $event, block.row)"
    >
      <title>{{ rowOf(block.row)?.label }} · {{ exact(block.bytes, sector) }}</title>
      <rect class="room" :x="x" :y="block.y" :width="COLUMN" :height="Math.max(1, block.height - 1)" />
      <rect class="used" :x="x" :y="block.y" :width="COLUMN" :height="used(block)" />
      <path
        v-for="floor in floors(block)"
        :key="floor.name"
        :class="['floor', floor.name]"
        :d="`M${x - 7} ${floor.y}h${COLUMN + 14}`"
      />
    </g>
  </g>
</template>

<style scoped>
.block .room {
  fill: currentColor;
  opacity: var(--room);
}
.block .used {
  fill: currentColor;
}
.block.left .room {
  fill: none;
  stroke: currentColor;
  stroke-dasharray: 3 3;
  opacity: 1;
}
.block.left .used {
  opacity: 0.15;
}
.block.dropped .room {
  fill: none;
  stroke: currentColor;
  stroke-dasharray: 2 3;
  opacity: 1;
}
.block.dropped .used {
  opacity: 0.15;
}
.floor {
  stroke: var(--ink);
  stroke-width: 1.6;
}
.floor.comfort {
  stroke-dasharray: 2 3;
}
.open {
  fill: none;
  stroke: var(--sand);
  stroke-dasharray: 3 3;
}
.block {
  cursor: pointer;
}
</style>
