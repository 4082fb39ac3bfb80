<script setup lang="ts">
/** What was planned on the left, what stands there on the right: calm where they agree, lit where they differ. */
import { computed } from "vue";
import type { ComparedRow } from "../api/check";
import { exact } from "../widgets/units";
import { pairColumn } from "./pair";

const props = defineProps<{ rows: ComparedRow[]; sectors: number; sectorBytes: number; chosen: number | null }>();
const emit = defineEmits<{ choose: [row: number | null] }>();
const [HEIGHT, COLUMN, LEFT, RIGHT] = [360, 62, 150, 330];

const planned = computed(() => pairColumn(props.rows, "planned", props.sectors, HEIGHT));
const found = computed(() => pairColumn(props.rows, "found", props.sectors, HEIGHT));
const ribbons = computed(() =>
  planned.value.flatMap((one) => {
    const other = found.value.find((block) => block.key === one.key);
    return other ? [{ one, other }] : [];
  }),
);
const middle = (LEFT + COLUMN + RIGHT) / 2;
function path(one: { y: number; height: number }, other: { y: number; height: number }): string {
  const [a, b, c, d] = [one.y, other.y, other.y + other.height, one.y + one.height];
  const x = LEFT + COLUMN;
  return `M${x} ${a}C${middle} ${a} ${middle} ${b} ${RIGHT} ${b}V${c}C${middle} ${c} ${middle} ${d} ${x} ${d}Z`;
}
const codesOf = (key: string) =>
  props.rows
    .find((row) => `${row.number ?? row.label}` === key)
    ?.codes.join(", ")
    .replaceAll("-", " ") ?? "";
const sizeOf = (key: string, side: "planned" | "found") => {
  const place = props.rows.find((row) => `${row.number ?? row.label}` === key)?.[side];
  return place ? exact(place.sectors * props.sectorBytes, props.sectorBytes) : "";
};
</script>

<template>
  <svg class="morph" :viewBox="`0 0 560 ${HEIGHT + 34}`" role="img" aria-label="Plan and finished disk side by side">
    <g transform="translate(0 26)">
      <text class="disk" :x="LEFT" y="-9">Planned</text>
      <text class="disk" :x="RIGHT" y="-9">Found</text>
      <rect class="open" :x="LEFT + 0.5" y="0.5" :width="COLUMN - 1" :height="HEIGHT - 1" />
      <rect class="open" :x="RIGHT + 0.5" y="0.5" :width="COLUMN - 1" :height="HEIGHT - 1" />
      <path
        v-for="{ one, other } in ribbons"
        :key="one.key"
        class="ribbon"
        :class="{ differs: one.differs }"
        :d="path(one, other)"
      />
      <g v-for="block in planned" :key="`p${block.key}`" class="block" :class="{ differs: block.differs }">
        <title>{{ block.label }} · planned {{ sizeOf(block.key, "planned") }}</title>
        <rect
          :class="{ chosen: block.row !== null && block.row === chosen }"
          :x="LEFT"
          :y="block.y"
          :width="COLUMN"
          :height="block.height - 1"
          @click="emit('choose', block.row)"
        />
        <text class="small" text-anchor="end" :x="LEFT - 8" :y="block.at">
          {{ block.label.slice(0, 20) }}
        </text>
      </g>
      <g v-for="block in found" :key="`f${block.key}`" class="block" :class="{ differs: block.differs }">
        <title>{{ block.label }} · found {{ sizeOf(block.key, "found") }}</title>
        <rect :x="RIGHT" :y="block.y" :width="COLUMN" :height="block.height - 1" @click="emit('choose', block.row)" />
        <text v-if="block.differs" class="small tint" :x="RIGHT + COLUMN + 8" :y="block.at">
          ≠ {{ codesOf(block.key) }}
        </text>
      </g>
      <template v-for="row in rows" :key="`m${row.label}`">
        <text
          v-if="row.planned && !row.found && row.codes.length"
          class="small tint missing"
          :x="RIGHT + COLUMN + 8"
          :y="planned.find((block) => block.key === `${row.number}`)?.at ?? 0"
        >
          ≠ {{ row.label }} is missing
        </text>
      </template>
    </g>
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  max-height: 430px;
}
.open {
  fill: none;
  stroke: var(--sand);
  stroke-dasharray: 3 3;
}
.block {
  color: var(--action);
}
.block rect {
  fill: var(--holds);
  opacity: 0.45;
  cursor: pointer;
}
.block.differs rect {
  fill: var(--action);
  opacity: 0.85;
}
.block rect.chosen {
  stroke: var(--ink);
  stroke-width: 2;
}
.ribbon {
  fill: var(--holds);
  opacity: 0.12;
}
.ribbon.differs {
  fill: var(--action);
  opacity: 0.2;
}
.missing {
  color: var(--action);
}
</style>
