<script setup lang="ts">
/** What must go over, with headroom, against what the two disks have, on one line. */
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";
import type { Plan } from "../api/client";
import { sizeFine } from "../widgets/units";

const props = defineProps<{ plan: Plan; sourceBytes: number }>();
const box = ref<HTMLElement | null>(null);
const { width } = useElementSize(box);

const target = computed(() => props.plan.target.sectors * props.plan.target.logical_sector_bytes);
const most = computed(() => Math.max(props.sourceBytes, target.value, props.plan.comfort_bytes, 1));
const x = (bytes: number) => (bytes / most.value) * Math.max(0, width.value - 4) + 2;

const CHAR = 6.4;
interface Mark {
  text: string;
  x: number;
}
/** Marks of one side of the line, each name at its tick; names that would meet share one text and its leader lines. */
function side(marks: Mark[]): { text: string; at: number; anchor: string; ticks: number[] }[] {
  const groups: { text: string; ticks: number[] }[] = [];
  const span = (group: { text: string; ticks: number[] }): [number, number] => {
    const half = (group.text.length * CHAR) / 2;
    const mid = group.ticks.reduce((sum, tick) => sum + tick, 0) / group.ticks.length;
    const at = Math.min(Math.max(mid, half), Math.max(half, width.value - half));
    return [at - half, at + half];
  };
  for (const mark of [...marks].sort((a, b) => a.x - b.x)) {
    let group = { text: mark.text, ticks: [mark.x] };
    for (let before = groups.at(-1); before && span(before)[1] + 10 > span(group)[0]; before = groups.at(-1)) {
      groups.pop();
      group = { text: `${before.text} · ${group.text}`, ticks: [...before.ticks, ...group.ticks] };
    }
    groups.push(group);
  }
  return groups.map((group) => {
    const [from, to] = span(group);
    // At an end of the line the name is set to that end, so that it stands under its tick.
    if (to >= width.value) return { ...group, at: width.value, anchor: "end" };
    return from <= 0 ? { ...group, at: 0, anchor: "start" } : { ...group, at: (from + to) / 2, anchor: "middle" };
  });
}
const mark = (name: string, bytes: number): Mark => ({
  text: `${name} ${sizeFine(bytes)}`,
  x: x(bytes),
});
const needs = computed(() =>
  side([mark("must have", props.plan.must_bytes), mark("with headroom", props.plan.comfort_bytes)]),
);
const has = computed(() => side([mark("target", target.value), mark("source", props.sourceBytes)]));
/** What the target lacks, for all of it or for its headroom. */
const lacks = computed(() => ({
  from: x(target.value),
  to: x(Math.max(target.value, props.plan.comfort_bytes)),
  must: x(Math.max(target.value, props.plan.must_bytes)),
}));
</script>

<template>
  <div ref="box" class="gauge">
    <svg
      v-if="width"
      :width="width"
      height="50"
      role="img"
      :aria-label="[...needs, ...has].map((m) => m.text).join(', ')"
    >
      <defs>
        <pattern id="lacks" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="5" height="5" fill="var(--card)" />
          <path d="M0 0v5" stroke="var(--ink)" stroke-width="2" />
        </pattern>
      </defs>
      <rect class="all" x="2" y="22" :width="x(most) - 2" height="6" rx="3" />
      <rect class="has" x="2" y="22" :width="x(target) - 2" height="6" rx="3" />
      <rect class="comfort" x="2" y="22" :width="Math.min(lacks.from, x(plan.comfort_bytes)) - 2" height="6" rx="3" />
      <rect class="must" x="2" y="22" :width="Math.min(lacks.from, x(plan.must_bytes)) - 2" height="6" rx="3" />
      <rect
        v-if="lacks.to > lacks.from"
        class="short light"
        :x="lacks.from"
        y="21.5"
        :width="lacks.to - lacks.from"
        height="7"
      />
      <rect
        v-if="lacks.must > lacks.from"
        class="short"
        fill="url(#lacks)"
        data-lacks
        :x="lacks.from"
        y="21.5"
        :width="lacks.must - lacks.from"
        height="7"
      />
      <g v-for="group in needs" :key="group.text">
        <path v-for="tick in group.ticks" :key="tick" :d="`M${tick} 31V15`" />
        <text :x="group.at" y="12" :text-anchor="group.anchor">{{ group.text }}</text>
      </g>
      <g v-for="group in has" :key="group.text">
        <path v-for="tick in group.ticks" :key="tick" :d="`M${tick} 19V36`" />
        <text :x="group.at" y="46" :text-anchor="group.anchor">{{ group.text }}</text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.gauge {
  flex: 1;
  min-width: 0;
  height: 50px;
  overflow: hidden; /* the drawing follows this box, never the other way round */
}
.all {
  fill: var(--line);
  opacity: 0.6;
}
.has {
  fill: var(--sand);
}
.comfort {
  fill: var(--muted);
}
.must {
  fill: var(--ink);
}
path {
  fill: none;
  stroke: var(--ink);
}
.short {
  stroke: var(--ink);
}
.short.light {
  fill: var(--card);
  stroke-dasharray: 2 2;
}
text {
  font-size: 11.5px;
  fill: var(--muted);
}
</style>
