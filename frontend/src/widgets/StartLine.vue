<script setup lang="ts">
/** Whether a machine will start from the target: the answer always, the reasons when it is opened. */
import type { Plan } from "../api/client";

const props = defineProps<{ start: Plan["start"] }>();
/** The levels of findings: what must be done looks as there, what is well looks calm. */
const LEVELS = { yes: "", nothing: "", unknown: "mind", mend: "mind", no: "stop" } as const;
</script>

<template>
  <details class="start" aria-label="Will it start">
    <summary>
      <a-tag v-if="LEVELS[props.start.answer]" class="tag" :class="LEVELS[props.start.answer]">
        {{ LEVELS[props.start.answer] }}
      </a-tag>
      <b>{{ props.start.head }}.</b> <span class="muted">{{ props.start.text }}</span>
    </summary>
    <p>{{ props.start.text }}</p>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.start[open] summary .muted {
  visibility: hidden;
}
.start p {
  max-width: 90ch;
  margin: 4px 0 0;
}
</style>
