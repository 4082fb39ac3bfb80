<script setup lang="ts">
/** Where data lies in one partition: darker where it is fuller, with the last used byte and what cannot be moved. */
import { computed } from "vue";
import type { Partition } from "../api/client";
import { size } from "./units";

const props = defineProps<{ partition: Partition; bytes: number }>();
const WIDTH = 200;
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
const at = (byte: number | null | undefined) => (byte == null ? null : (byte / props.bytes) * WIDTH);
const last = computed(() => at(fs.value?.last_used_byte));
const fixed = computed(() => at(fs.value?.immovable_end_byte));
const words = computed(() => {
  if (!fs.value) return "nothing known of its content";
  const end = fs.value.last_used_byte;
  return end == null ? "where data lies is not known" : `data reaches to ${size(end)} of ${size(props.bytes)}`;
});
</script>

<template>
  <div class="strip">
    <svg v-if="buckets.length" :viewBox="`0 0 ${WIDTH} 14`" :width="WIDTH" height="14" role="img" :aria-label="words">
      <rect class="room" x="0" y="1" :width="WIDTH" height="12" />
      <rect
        v-for="bucket in buckets"
        :key="bucket.x"
        class="used"
        :x="bucket.x"
        y="1"
        :width="bucket.width + 0.1"
        height="12"
        :opacity="0.2 + 0.8 * bucket.opacity"
      />
      <path v-if="last !== null" class="mark" :d="`M${last} 0V14`" />
      <path v-if="fixed !== null" class="mark fixed" :d="`M${fixed} 0V14`" />
    </svg>
    <div class="muted">{{ words }}</div>
  </div>
</template>

<style scoped>
.strip {
  width: 200px;
  font-size: 12px;
  line-height: 1.3;
}
svg {
  display: block;
}
.room {
  fill: var(--sand);
  opacity: 0.25;
}
.used {
  fill: var(--ink);
  shape-rendering: crispEdges;
}
.mark {
  stroke: var(--action);
  stroke-width: 1.5;
}
.fixed {
  stroke-dasharray: 2 1.5;
}
</style>
