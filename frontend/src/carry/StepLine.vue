<script setup lang="ts">
/** One step of the timeline: what, from and to as a small bar, bytes, time, and in a fold what to type. */
import { computed, ref } from "vue";
import type { Step } from "../api/carry";
import { size } from "../widgets/units";
import ByHand from "./ByHand.vue";
import StepBar from "./StepBar.vue";

const props = defineProps<{ step: Step; change: string; state: "open" | "done"; took: string; chosen: boolean }>();
const emit = defineEmits<{ choose: [] }>();
const hand = ref<InstanceType<typeof ByHand>>();
defineExpose({ number: props.step.number, take: () => hand.value?.take() });

const bytes = computed(() => {
  const written = props.step.write_bytes;
  if (written === null) return "bytes not known";
  return written ? size(written) : "";
});
</script>

<template>
  <li class="step-line" :class="[state, { chosen }]">
    <span class="mark" :class="change" aria-hidden="true">{{ state === "done" ? "✓" : step.number }}</span>
    <div class="body">
      <button class="text" type="button" :aria-pressed="chosen" @click="emit('choose')">
        <span class="sr-only">Step {{ step.number }}{{ state === "done" ? ", done" : "" }}: </span>{{ step.say }}
      </button>
      <StepBar :step="step" :change="change" />
      <ByHand ref="hand" :step="step" />
    </div>
    <span class="fig right">
      <span>{{ took ? `took ${took}` : step.time }}</span>
      <span class="muted">{{ bytes }}</span>
    </span>
  </li>
</template>

<style scoped>
.step-line {
  display: grid;
  grid-template-columns: 24px minmax(0, 1fr) max-content;
  gap: 10px;
  padding: 6px 6px;
  border-bottom: 1px solid var(--line);
}
.step-line.chosen {
  background: var(--chosen);
}
.mark {
  display: grid;
  place-items: center;
  width: 22px;
  height: 22px;
  border: 1.5px solid currentColor;
  border-radius: 11px;
  font:
    600 11px "IBM Plex Mono",
    monospace; /* prettier-ignore */
}
.done .text {
  color: var(--muted);
}
.text {
  font: inherit;
  font-weight: 500;
  color: var(--ink);
  text-align: left;
  background: none;
  border: 0;
  padding: 1px 0;
  cursor: pointer;
}
.right {
  display: grid;
  justify-items: end;
  align-content: start;
  font-size: 12px;
}
.body {
  min-width: 0;
}
@media (max-width: 600px) {
  .step-line {
    grid-template-columns: 24px minmax(0, 1fr);
  }
  .right {
    grid-column: 2;
    justify-items: start;
  }
}
</style>
