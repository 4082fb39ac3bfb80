<script setup lang="ts">
/** How a step is done by hand: figures to type, lines to paste, what must be true before and what undoes it. */
import { computed, ref } from "vue";
import type { Step } from "../api/carry";
import FiguresTable from "../widgets/FiguresTable.vue";
import PasteLines from "./PasteLines.vue";

const props = defineProps<{ step: Step; open?: boolean }>();
const lines = ref<InstanceType<typeof PasteLines>>();
defineExpose({ take: () => lines.value?.take() });
const chosen = ref<boolean | null>(null); // as the technician left it
const shown = computed(() => chosen.value ?? props.open ?? false);
</script>

<template>
  <details :open="shown">
    <summary @click.prevent="chosen = !shown">
      {{ step.figures.length ? "Figures and lines by hand" : "By hand" }}
    </summary>
    <FiguresTable
      v-if="step.figures.length"
      :figures="step.figures"
      :caption="`Figures to type for step ${step.number}`"
    />
    <PasteLines ref="lines" :step="step" />
    <p v-for="text in step.before" :key="text"><span class="muted">Before:</span> {{ text }}.</p>
    <p><span class="muted">Afterwards:</span> {{ step.undo }}.</p>
  </details>
</template>

<style scoped>
details {
  font-size: 12px;
  overflow-x: auto;
}
summary {
  color: var(--muted);
  cursor: pointer;
}
</style>
