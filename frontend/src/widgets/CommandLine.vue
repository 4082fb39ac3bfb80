<script setup lang="ts">
/** A command to take elsewhere: where it is typed, and a button that copies it. */
import { ref } from "vue";

const props = defineProps<{ where: string; command: string }>();
const copied = ref(false);
const trouble = ref("");

async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(props.command);
    copied.value = true;
  } catch {
    trouble.value = "The browser does not let this page copy. Mark the command and copy it by hand.";
  }
}
</script>

<template>
  <div class="command">
    <span class="muted">{{ where }}</span>
    <code class="fig">{{ command }}</code>
    <a-button size="small" :aria-label="`Copy the command for ${where}`" @click="copy">
      {{ copied ? "Copied" : "Copy" }}
    </a-button>
    <span v-if="trouble" role="alert">{{ trouble }}</span>
  </div>
</template>

<style scoped>
.command {
  display: grid;
  grid-template-columns: minmax(0, 1fr) max-content;
  gap: 2px 10px;
  align-items: center;
  margin-top: 8px;
}
.command span {
  grid-column: 1 / -1;
}
code {
  overflow-wrap: anywhere;
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 4px 8px;
  font-size: 12px;
}
</style>
