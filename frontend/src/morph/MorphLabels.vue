<script setup lang="ts">
/** The figures beside the morph: what is on the left, what will be on the right. */
import { computed } from "vue";
import type { PlanRow } from "../api/client";
import { percent, sizeFine } from "../widgets/units";
import { KINDS } from "../widgets/words";
import { COLUMN, LABEL, leader, type Block, type Label } from "./geometry";

const props = defineProps<{
  rowOf: (number: number) => PlanRow | undefined;
  left: Label[];
  right: Label[];
  targetBlocks: Block[];
  sourceX: number;
  targetX: number;
  width: number;
  many: boolean;
  labelHeight: (row: number) => number;
}>();
const chosen = defineModel<number | null>("chosen", { required: true });
const LINE = 16;

/** Each label beside its row; a label of no row stands for what is unallocated. */
const ofRows = (labels: Label[]) =>
  labels.flatMap((label) => {
    const row = props.rowOf(label.row);
    return row ? [{ label, row }] : [];
  });
const before = computed(() => ofRows(props.left));
const after = computed(() => ofRows(props.right));
const gaps = computed(() => props.right.filter((label) => label.row < 0));
const isOn = (number: number) => number === chosen.value;

function words(row: PlanRow): { sign: string; text: string } {
  const change = Math.abs((row.size_bytes ?? 0) - row.source_bytes);
  switch (row.change) {
    case "shrinks":
      return { sign: "▼", text: sizeFine(change) };
    case "grows":
      return { sign: "▲", text: sizeFine(change) };
    case "made":
      return { sign: "+", text: "made new" };
    case "left":
      return { sign: "", text: "left behind" };
    default:
      return { sign: "", text: row.size_bytes === null ? "" : "same size" };
  }
}
const kindWords = (row: PlanRow) =>
  [row.kind === "unknown" ? "" : KINDS[row.kind], row.role].filter(Boolean).join(" · ");
</script>

<template>
  <g>
    <g v-for="{ label, row } in before" :key="`l${label.row}`" class="label" @click="chosen = label.row">
      <rect
        v-if="isOn(label.row)"
        class="chosen"
        x="2"
        :y="label.y - 3"
        :width="LABEL - 4"
        :height="labelHeight(label.row) - 2"
        rx="6"
      />
      <path class="leader" :d="leader(LABEL, label.y + 10, sourceX - 6, label.anchor)" />
      <text x="10" :y="label.y + 14" class="strong">{{ row.label }}</text>
      <text :x="LABEL - 10" :y="label.y + 14" text-anchor="end" class="fig">
        {{ sizeFine(row.source_bytes) }}
      </text>
      <template v-if="!many">
        <text x="10" :y="label.y + 14 + LINE" class="muted">{{ kindWords(row) }}</text>
        <text
          v-if="row.used_bytes !== null"
          :x="LABEL - 10"
          :y="label.y + 14 + LINE"
          text-anchor="end"
          class="muted fig small"
        >
          {{ sizeFine(row.used_bytes!) }} used
        </text>
        <text v-if="row.elastic" :x="LABEL - 10" :y="label.y + 14 + 2 * LINE" text-anchor="end" class="muted">
          {{ percent(row.used_bytes ?? 0, row.source_bytes) }} full
        </text>
        <text
          v-if="row.change === 'left'"
          x="10"
          :y="label.y + 14 + 2 * LINE"
          :class="row.dropped ? 'made tint' : 'muted'"
        >
          {{ row.dropped ? "replaced by a new start row" : "left behind" }}
        </text>
      </template>
    </g>

    <g v-for="label in gaps" :key="`u${label.row}`">
      <path class="leader" :d="leader(targetX + COLUMN + 6, label.anchor, targetX + COLUMN + 30, label.y + 10)" />
      <text class="muted small" :x="targetX + COLUMN + 36" :y="label.y + 14">
        {{ sizeFine(targetBlocks[-1 - label.row]!.bytes) }} unallocated
      </text>
    </g>
    <g v-for="{ label, row } in after" :key="`n${label.row}`" class="label" @click="chosen = label.row">
      <rect
        v-if="isOn(label.row)"
        class="chosen"
        :x="targetX + COLUMN + 28"
        :y="label.y - 3"
        :width="width - targetX - COLUMN - 34"
        :height="labelHeight(label.row) - 2"
        rx="6"
      />
      <path class="leader" :d="leader(targetX + COLUMN + 6, label.anchor, targetX + COLUMN + 30, label.y + 10)" />
      <text :x="targetX + COLUMN + 36" :y="label.y + 14" class="fig" :class="{ big: row.elastic && !many }">
        {{ sizeFine(row.size_bytes ?? row.least_bytes ?? 0) }}
      </text>
      <text
        v-if="row.size_bytes === null && row.change !== 'made'"
        class="muted"
        :x="targetX + COLUMN + 152"
        :y="label.y + 14"
      >
        at least
      </text>
      <text :x="targetX + COLUMN + 152" :y="label.y + 14" class="strong tint" :class="row.change">
        {{ words(row).sign }} {{ words(row).text }}{{ row.pinned ? " · pinned" : "" }}
      </text>
      <template v-if="!many">
        <text
          v-if="row.free_after_bytes !== null"
          :x="targetX + COLUMN + 36"
          :y="label.y + 14 + LINE"
          class="muted fig small"
        >
          {{ sizeFine(row.free_after_bytes!) }} free
        </text>
        <text
          v-if="row.size_bytes === null && row.floor_lines?.carried_bytes"
          :x="targetX + COLUMN + 36"
          :y="label.y + 14 + LINE"
          class="muted fig small"
        >
          holds {{ sizeFine(row.floor_lines!.carried_bytes) }}
        </text>
        <template v-if="row.elastic && row.size_bytes !== null">
          <text :x="targetX + COLUMN + 152" :y="label.y + 14 + LINE" class="muted small">
            {{ percent(row.floor_lines!.carried_bytes, row.size_bytes ?? 0) }} full, was
            {{ percent(row.used_bytes ?? 0, row.source_bytes) }}
          </text>
          <text :x="targetX + COLUMN + 36" :y="label.y + 14 + 2 * LINE" class="muted small">
            floor {{ sizeFine(row.hard_floor_bytes!) }}
          </text>
          <text :x="targetX + COLUMN + 152" :y="label.y + 14 + 2 * LINE" class="muted small">
            comfort {{ sizeFine(row.comfort_floor_bytes!) }}
          </text>
        </template>
      </template>
    </g>
  </g>
</template>

<style scoped>
.chosen {
  fill: var(--chosen);
}
.label {
  cursor: pointer;
}
</style>
