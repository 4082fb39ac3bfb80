<script setup lang="ts">
/** The morph: source and target as columns on one true scale, and what becomes of every row. */
import { useElementSize, useWindowSize } from "@vueuse/core";
import { computed, ref } from "vue";
import type { Job, Plan, PlanRow } from "../api/client";
import { size } from "../widgets/units";
import BeyondReach from "./BeyondReach.vue";
import MorphColumn from "./MorphColumn.vue";
import MorphLabels from "./MorphLabels.vue";
import { useEdgeDrag, useRowLift } from "./drag";
import { COLUMN, LABEL, labels, picture } from "./geometry";

const props = defineProps<{ plan: Plan; job: Job; stopped?: string; late?: boolean }>();
const chosen = defineModel<number | null>("chosen", { required: true });
const emit = defineEmits<{
  drag: [row: number, size: number, alone: boolean];
  drop: [row: number, size: number, alone: boolean];
  cancel: [];
  move: [row: number, steps: number];
}>();

const box = ref<HTMLElement | null>(null);
const { width: seen } = useElementSize(box);
const { height: seenHeight } = useWindowSize();

const rows = computed(() => new Map<number | null, PlanRow>(props.plan.rows.map((row) => [row.number, row])));
const rowOf = (number: number | null) => rows.value.get(number);

const TOP = 66;
const ROUND_IT = 394; // what stands above and below the columns on the screen
const width = computed(() => Math.max(760, seen.value));
const many = computed(() => props.plan.rows.length > 9);
const labelHeight = (number: number): number => {
  if (number < 0) return 20;
  if (many.value) return 20;
  const row = rowOf(number);
  return row && (row.elastic || !row.carried) ? 66 : 46;
};
const height = computed(() => {
  const needed = props.plan.rows.reduce(
    (sum, row) => sum + labelHeight(row.number),
    20 * props.plan.unallocated.length,
  );
  return Math.max(360, seenHeight.value - ROUND_IT, needed + 8);
});
const sourceX = computed(() => LABEL + 52);
const targetX = computed(() => width.value - LABEL - 84 - COLUMN);
const frame = computed(() => ({ top: TOP, height: height.value, sourceX: sourceX.value, targetX: targetX.value }));
const disk = computed(() => props.job.source!.disk);
const drawn = computed(() =>
  picture(props.plan, disk.value, props.job.source_gaps, frame.value, props.job.source_unreachable_bytes),
);
const bottom = computed(() => TOP + height.value);
const left = computed(() =>
  labels(drawn.value.source, (number) => (number < 0 ? 0 : labelHeight(number)), TOP - 4, bottom.value + 4),
);
const right = computed(() => labels(drawn.value.target, labelHeight, TOP - 4, bottom.value + 4));

const handles = computed(() =>
  drawn.value.target.flatMap((block) => {
    const row = rowOf(block.row);
    return row && (row.elastic || row.pinned) && row.size_bytes ? [{ row, y: block.y + block.height }] : [];
  }),
);
const svg = ref<SVGSVGElement | null>(null);
const { grip, take, pull, letGo, giveUp } = useEdgeDrag(() => drawn.value.pixelsPerByte, {
  chosen: (row) => (chosen.value = row),
  drag: (...drawnTo) => emit("drag", ...drawnTo),
  drop: (...drawnTo) => emit("drop", ...drawnTo),
  cancel: () => emit("cancel"),
});
const movable = (row: number) => !rowOf(row)?.actions.up || !rowOf(row)?.actions.down;
const { far, land, lift } = useRowLift(
  svg,
  () => drawn.value,
  movable,
  (row, steps) => emit("move", row, steps),
);

const isOn = (number: number | null) => number !== null && number === chosen.value;

const less = computed(() => {
  const bytes = (props.job.source_head?.size_bytes ?? 0) - (props.job.target_head?.size_bytes ?? 0);
  const top = Math.min(drawn.value.sourceBottom, drawn.value.targetBottom);
  return { bytes, top, height: Math.abs(drawn.value.sourceBottom - drawn.value.targetBottom) };
});

/** The figure of what is missing stands beside it, and never above the columns. */
const shortAt = computed(() => Math.max(TOP + 14, (drawn.value.overhang?.y ?? 0) + 14));

const name = (disk: Job["source_head"], fallback: string) => disk?.model || fallback;
const subtitle = (disk: Job["source_head"]) =>
  disk ? [`${disk.label} on the label`, size(disk.size_bytes, "binary"), disk.serial].filter(Boolean).join(" · ") : "";
</script>

<template>
  <div ref="box" class="box">
    <svg ref="svg" class="morph" :class="{ carrying: far }" :width="width" :height="bottom + 16" aria-hidden="true">
      <text x="12" y="18" class="disk">{{ name(job.source_head, "Source") }}</text>
      <text x="12" y="37" class="muted">{{ subtitle(job.source_head) }}</text>
      <text :x="targetX + COLUMN + 36" y="18" class="disk">{{ name(job.target_head, "Target") }}</text>
      <text :x="targetX + COLUMN + 36" y="37" class="muted">{{ subtitle(job.target_head) }}</text>

      <path
        v-for="ribbon in drawn.ribbons"
        :key="`r${ribbon.row}`"
        :d="ribbon.path"
        :class="['ribbon', ribbon.change, { on: isOn(ribbon.row) }]"
        @click="chosen = ribbon.row"
      />

      <MorphColumn
        v-model:chosen="chosen"
        :blocks="drawn.source"
        :x="sourceX"
        :row-of="rowOf"
        :sector="disk.logical_sector_bytes"
      />
      <MorphColumn
        v-model:chosen="chosen"
        :blocks="drawn.target"
        :x="targetX"
        :row-of="rowOf"
        :sector="plan.target.logical_sector_bytes"
        is-target
        @lift="lift"
      />
      <g v-if="land" class="landing">
        <path :d="`M${targetX - 10} ${land.line}h${COLUMN + 20}`" />
        <text class="small" :x="targetX - 14" :y="land.line + 4" text-anchor="end">
          {{ land.steps ? "stands here" : "stays" }}
        </text>
      </g>

      <g v-if="drawn.overhang" class="overhang" data-overhang>
        <defs>
          <pattern id="hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="6" height="6" fill="var(--card)" fill-opacity="0.55" />
            <path d="M0 0v6" stroke="var(--ink)" stroke-width="1.6" />
          </pattern>
        </defs>
        <rect
          class="open end"
          :x="targetX - 6.5"
          :y="TOP - 0.5"
          :width="COLUMN + 13"
          :height="Math.max(2, drawn.targetBottom - TOP)"
        />
        <rect
          class="past"
          fill="url(#hatch)"
          :x="targetX - 3"
          :y="drawn.overhang.y"
          :width="COLUMN + 6"
          :height="Math.max(3, drawn.overhang.height)"
        />
        <text class="disk" text-anchor="end" :x="targetX - 14" :y="shortAt">
          {{ size(plan.shortfall_bytes) }} short
        </text>
        <text class="muted small" text-anchor="end" :x="targetX - 14" :y="shortAt + 16">
          past the end of the target
        </text>
      </g>
      <BeyondReach v-if="drawn.beyond.source" :stretch="drawn.beyond.source" :x="sourceX" :text-x="sourceX - 14" />
      <BeyondReach
        v-if="drawn.beyond.target"
        :stretch="drawn.beyond.target"
        :x="targetX"
        :text-x="targetX + COLUMN + 36"
        after
      />
      <g v-if="less.height > 6 && less.bytes !== 0 && !drawn.overhang">
        <rect
          class="open missing"
          :x="(less.bytes > 0 ? targetX : sourceX) + 0.5"
          :y="less.top + 4.5"
          :width="COLUMN - 1"
          :height="Math.max(1, less.height - 5)"
        />
        <text
          v-if="less.height > 40"
          class="muted small"
          :text-anchor="less.bytes > 0 ? 'start' : 'end'"
          :x="less.bytes > 0 ? targetX + COLUMN + 12 : sourceX - 12"
          :y="less.top + less.height - 2"
        >
          {{ size(Math.abs(less.bytes)) }} less than {{ less.bytes > 0 ? "the source" : "the target" }}
        </text>
      </g>

      <MorphLabels
        v-model:chosen="chosen"
        :row-of="rowOf"
        :left="left"
        :right="right"
        :target-blocks="drawn.target"
        :source-x="sourceX"
        :target-x="targetX"
        :width="width"
        :many="many"
        :label-height="labelHeight"
      />

      <g
        v-for="handle in handles"
        :key="`h${handle.row.number}`"
        class="handle"
        :class="{ held: grip?.row === handle.row.number }"
        :data-row="handle.row.number"
        @pointerdown="take($event, handle.row)"
        @pointermove="pull"
        @pointerup="letGo"
        @pointercancel="giveUp"
      >
        <title>
          Draw this edge: {{ handle.row.label }} and its neighbour share the change; with Shift only this row
        </title>
        <rect class="reach" :x="targetX - 4" :y="handle.y - 7" :width="COLUMN + 8" height="14" />
        <rect class="grip" :x="targetX + COLUMN / 2 - 13" :y="handle.y - 4" width="26" height="7" rx="3.5" />
        <text
          v-if="grip?.row === handle.row.number && (stopped || late)"
          class="small"
          :x="targetX - 12"
          :y="handle.y + 4"
          text-anchor="end"
        >
          {{ stopped || "Waiting for the answer; this is the last one" }}
        </text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.box {
  min-width: 0;
}
svg {
  display: block;
}
.ribbon {
  fill: currentColor;
  opacity: 0.15;
}
.ribbon.on {
  opacity: 0.28;
}
.open {
  fill: none;
  stroke: var(--sand);
  stroke-dasharray: 3 3;
}
.past {
  stroke: var(--ink);
}
.end {
  stroke: var(--ink);
  stroke-width: 1.5;
  stroke-dasharray: none;
}
.carrying {
  cursor: grabbing;
}
.landing path {
  stroke: var(--action);
  stroke-width: 3;
}
.handle {
  cursor: ns-resize;
  touch-action: none;
}
.reach {
  fill: transparent;
}
.grip {
  fill: var(--card);
  stroke: var(--ink);
}
.handle:hover .grip,
.handle.held .grip {
  fill: var(--action);
  stroke: var(--action);
}
.ribbon {
  cursor: pointer;
}
</style>
