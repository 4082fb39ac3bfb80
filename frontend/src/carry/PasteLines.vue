<script setup lang="ts">
/** The lines with which a step is done by hand on one system; which system is remembered. */
import { useLocalStorage } from "@vueuse/core";
import { computed } from "vue";
import type { Step } from "../api/carry";
import { useCopy } from "../widgets/clipboard";
import { SYSTEMS } from "../widgets/words";

type System = Step["lines"][number]["system"];
const props = defineProps<{ step: Step }>();
const system = useLocalStorage<System>("lines", "linux");
const shown = computed(() => props.step.lines.find((lines) => lines.system === system.value) ?? props.step.lines[0]);
const options = computed(() =>
  props.step.lines.map((lines) => ({ value: lines.system, label: SYSTEMS[lines.system] })),
);
const { copied, copy } = useCopy();
defineExpose({ take: () => shown.value?.text && copy(shown.value.text) });
</script>

<template>
  <div v-if="shown" class="lines">
    <a-segmented
      v-model:value="system"
      size="small"
      :options="options"
      :aria-label="`System on which step ${step.number} is done by hand`"
    />
    <a-button v-if="shown.text" size="small" @click="copy(shown.text)">
      {{ copied === shown.text ? "Copied" : "Copy" }}<span class="sr-only"> the lines of step {{ step.number }}</span>
      <kbd>Y</kbd>
    </a-button>
    <pre v-if="shown.text" tabindex="0" :aria-label="`Lines of step ${step.number}`">{{ shown.text }}</pre>
    <p v-if="shown.words">{{ shown.words }}</p>
  </div>
</template>

<style scoped>
.lines {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  margin: 4px 0;
}
pre {
  flex-basis: 100%;
  margin: 0;
  padding: 5px 8px;
  max-height: 160px;
  overflow: auto;
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 4px;
  font:
    11px "IBM Plex Mono",
    monospace; /* prettier-ignore */
}
.lines p {
  flex-basis: 100%;
}
</style>
