<script setup lang="ts">
/** A partition before and after a step as two small bars, where the step changes its length. */
import { computed } from "vue";
import type { Step } from "../api/carry";

const props = defineProps<{ step: Step; change: string }>();
const changes = computed(
  () => !!props.step.from && !!props.step.to && props.step.from.sectors !== props.step.to.sectors,
);
const largest = computed(() => Math.max(props.step.from?.sectors ?? 1, props.step.to?.sectors ?? 1));
const width = (sectors: number | undefined) => Math.max(2, ((sectors ?? 0) / largest.value) * 120);
</script>

<template>
  <svg v-if="changes" class="bar" :class="change" width="122" height="11" aria-hidden="true">
    <rect class="was" x="1" y="0.5" :width="width(step.from?.sectors)" height="4" />
    <rect class="will" x="1" y="6" :width="width(step.to?.sectors)" height="4.5" />
  </svg>
</template>

<style scoped>
.bar {
  display: block;
  fill: currentColor;
}
.was {
  opacity: 0.35;
}
</style>
