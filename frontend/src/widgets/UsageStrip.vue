<script setup lang="ts">
/** Where data lies in one partition: darker where it is fuller, with the last used byte, the immovable end and floors. */
import { computed } from "vue";
import type { Partition, Schemas } from "../api/client";
import { size } from "./units";

const props = defineProps<{ partition: Partition; bytes: number; largest: number; look?: Schemas["LookModel"] }>();
const WIDTH = 1000;
const fs = computed(() => props.partition.filesystem);
const buckets = computed(() => {
  const map = fs.value?.usage_map;
  if (!map) return [];
  return map.used
    .map((used, index) => ({
      x: ((index * map.bucket_bytes) / props.bytes) * WIDTH,
      width: (map.bucket_bytes / props.bytes) * WIDTH,
      opacity: Math.min(1, used / map.bucket_bytes),
    }))
    .filter((bucket) => bucket.opacity > 0 && bucket.x < WIDTH);
});
const at = (byte: number | null | undefined) =>
  byte == null || byte > props.bytes ? null : (byte / props.bytes) * WIDTH;
const marks = computed(() =>
  [
    { kind: "hard", x: at(props.look?.hard_floor_bytes) },
    { kind: "comfort", x: at(props.look?.comfort_floor_bytes) },
    { kind: "fixed", x: at(fs.value?.immovable_end_byte) },
    { kind: "last", x: at(fs.value?.last_used_byte) },
  ].filter((mark): mark is { kind: string; x: number } => mark.x !== null),
);
/** Without a map the used space is drawn from the front, pale: how much, not where. */
const plain = computed(() =>
  buckets.value.length ? 0 : ((fs.value?.used_bytes ?? 0) / Math.max(1, props.bytes)) * WIDTH,
);
/** Strips are as long as their partitions against the largest; short ones are drawn longer, and say so. */
const LEAST = 0.3;
const share = computed(() => props.bytes / Math.max(1, props.largest));
const aside = computed(() => {
  const parts = [];
  const times = LEAST / share.value;
  if (times > 1.05)
    parts.push(`drawn ${times < 9.5 ? times.toFixed(1) : Math.round(times).toLocaleString("en")} times as long`);
  if (plain.value) parts.push("how much is used, not where: no map was read");
  return parts.join("; ");
});
const words = computed(() => {
  const parts = [];
  const known = fs.value;
  if (known?.last_used_byte != null) {
    const owner = known.end_owner && known.end_owner !== "files" ? ` (${known.end_owner})` : "";
    parts.push(`data reaches to ${size(known.last_used_byte)}${owner}`);
    if (known.data_end_byte != null && known.data_end_byte < known.last_used_byte) {
      parts.push(`without the file system's own records to ${size(known.data_end_byte)}`);
    }
  }
  if (known?.immovable_end_byte != null) parts.push(`what cannot be moved ends at ${size(known.immovable_end_byte)}`);
  return parts.join(", ");
});
const sentence = computed(() => [props.look?.text, words.value && `Now ${words.value}.`].filter(Boolean).join(" "));
</script>

<template>
  <div class="strip">
    <div v-if="buckets.length || plain || marks.length" class="line">
      <svg
        :style="{ width: `${Math.max(LEAST, share) * 100}%` }"
        :viewBox="`0 0 ${WIDTH} 14`"
        preserveAspectRatio="none"
        role="img"
        :aria-label="`Partition ${partition.number}: ${words || 'where data lies is not known'}`"
      >
        <rect class="room" x="0" y="1" :width="WIDTH" height="12" />
        <rect v-if="plain" class="used plain" x="0" y="1" :width="plain" height="12" />
        <rect
          v-for="bucket in buckets"
          :key="bucket.x"
          class="used"
          :x="bucket.x"
          y="1"
          :width="bucket.width + 0.3"
          height="12"
          :opacity="0.15 + 0.85 * bucket.opacity"
        />
        <path v-for="mark in marks" :key="mark.kind" class="mark" :class="mark.kind" :d="`M${mark.x} 0V14`" />
      </svg>
      <span v-if="aside" class="muted aside">{{ aside }}</span>
    </div>
    <p class="muted">{{ sentence }}</p>
  </div>
</template>

<style scoped>
.strip {
  font-size: 12px;
  line-height: 1.35;
}
svg {
  flex: none;
  max-width: 100%;
  height: 16px;
}
.line {
  display: flex;
  flex-wrap: wrap; /* beside a strip of full width there is no room for words */
  gap: 0 10px;
  align-items: center;
}
.aside {
  font-style: italic;
}
.room {
  fill: var(--sand);
  opacity: 0.25;
}
.used {
  fill: var(--holds);
  shape-rendering: crispEdges;
}
.used.plain {
  opacity: 0.4;
}
.mark {
  stroke: var(--ink);
  stroke-width: 2;
  vector-effect: non-scaling-stroke;
}
.mark.comfort {
  stroke-dasharray: 2 2;
}
.mark.last {
  stroke: var(--action);
}
.mark.fixed {
  stroke: var(--action);
  stroke-dasharray: 4 2;
}
</style>
