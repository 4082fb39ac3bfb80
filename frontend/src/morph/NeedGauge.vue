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

const CHAR = 6.6;
const marks = computed(() => {
  const list = [
    { key: "must", name: "must have", bytes: props.plan.must_bytes, above: true },
    { key: "comfort", name: "with headroom", bytes: props.plan.comfort_bytes, above: false },
    { key: "target", name: "target", bytes: target.value, above: true },
    { key: "source", name: "source", bytes: props.sourceBytes, above: false },
  ];
  const ends = { above: -Infinity, below: -Infinity };
  return list
    .map((mark) => ({ ...mark, x: x(mark.bytes), text: `${mark.name} ${sizeFine(mark.bytes)}` }))
    .sort((a, b) => a.x - b.x)
    .map((mark) => {
      const half = (mark.text.length * CHAR) / 2;
      const at = Math.min(Math.max(mark.x, half), Math.max(half, width.value - half));
      // Two names that would meet go to the two sides of the line.
      const side = at - half < ends[mark.above ? "above" : "below"] ? !mark.above : mark.above;
      const key = side ? "above" : "below";
      const shifted = Math.min(Math.max(at, ends[key] + half + 8), Math.max(half, width.value - half));
      ends[key] = shifted + half;
      return { ...mark, above: side, at: shifted };
    });
});
</script>

<template>
  <div ref="box" class="gauge">
    <svg v-if="width" :width="width" height="50" role="img" :aria-label="marks.map((m) => m.text).join(', ')">
      <rect class="all" x="2" y="22" :width="x(most) - 2" height="6" rx="3" />
      <rect class="has" x="2" y="22" :width="x(target) - 2" height="6" rx="3" />
      <rect class="comfort" x="2" y="22" :width="x(plan.comfort_bytes) - 2" height="6" rx="3" />
      <rect class="must" x="2" y="22" :width="x(plan.must_bytes) - 2" height="6" rx="3" />
      <g v-for="mark in marks" :key="mark.key">
        <path :d="`M${mark.x} 18V32`" />
        <text :x="mark.at" :y="mark.above ? 13 : 45" text-anchor="middle">{{ mark.text }}</text>
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
  stroke: var(--ink);
}
text {
  font-size: 11.5px;
  fill: var(--muted);
}
</style>
