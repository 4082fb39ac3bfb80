<script setup lang="ts">
/** Steps in the order in which they happen. */
import { ref } from "vue";
import type { Step, Steps } from "../api/carry";
import type { Progress } from "./progress";
import StepLine from "./StepLine.vue";

const props = defineProps<{ steps: Step[]; plan: Steps["plan"]; progress: Progress; name: string }>();
const chosen = defineModel<number>("chosen", { required: true });
const lines = ref<InstanceType<typeof StepLine>[]>([]);
defineExpose({ take: (step: number) => lines.value.find((line) => line.number === step)?.take() });
const changeOf = (row: number | null) => props.plan.rows.find((one) => one.number === row)?.change ?? "holds";
</script>

<template>
  <ol :aria-label="name">
    <StepLine
      v-for="step in steps"
      ref="lines"
      :key="step.number"
      :step="step"
      :change="changeOf(step.row)"
      :state="progress.isDone(step.number) ? 'done' : 'open'"
      :took="progress.tookOf(step.number)"
      :chosen="chosen === step.number"
      @choose="chosen = step.number"
    />
  </ol>
</template>

<style scoped>
ol {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
}
</style>
