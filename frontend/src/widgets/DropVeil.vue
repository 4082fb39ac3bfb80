<script setup lang="ts">
/** The whole page takes what is dropped on it, and says so while something is held over it. */
import { useEventListener } from "@vueuse/core";
import { ref } from "vue";

defineProps<{ words: string }>();
const emit = defineEmits<{ drop: [what: DataTransfer] }>();
const over = ref(false);

useEventListener(window, "dragover", (event: DragEvent) => {
  event.preventDefault();
  over.value = true;
});
useEventListener(window, "dragleave", (event: DragEvent) => {
  if (!event.relatedTarget) over.value = false;
});
useEventListener(window, "drop", (event: DragEvent) => {
  event.preventDefault();
  over.value = false;
  if (event.dataTransfer) emit("drop", event.dataTransfer);
});
</script>

<template>
  <div v-if="over" class="veil" aria-hidden="true">{{ words }}</div>
</template>

<style scoped>
.veil {
  position: fixed;
  inset: 12px;
  display: grid;
  place-items: center;
  font-size: 18px;
  font-weight: 600;
  background: color-mix(in srgb, var(--paper) 88%, transparent);
  border: 2px dashed var(--action);
  border-radius: 12px;
  pointer-events: none;
}
</style>
