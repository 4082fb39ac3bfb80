<script setup lang="ts">
/** A field that takes a survey by drop, by picking or by pasting, and says why one cannot be used. */
import { ref, useId } from "vue";
import { readSurvey } from "../api/jobs";
import type { Survey } from "../api/client";
import { surveyFromFile } from "./files";

const props = defineProps<{ what: string }>();
const emit = defineEmits<{ survey: [survey: Survey] }>();
const over = ref(false);
const busy = ref(false);
const trouble = ref("");
const pasted = ref("");
const id = useId();

async function take(read: () => Promise<Survey>): Promise<void> {
  busy.value = true;
  trouble.value = "";
  try {
    emit("survey", await read());
    pasted.value = "";
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}

function dropped(event: DragEvent): void {
  over.value = false;
  const file = event.dataTransfer?.files[0];
  if (file) void take(() => surveyFromFile(file));
}

function picked(event: Event): void {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  if (file) void take(() => surveyFromFile(file));
  input.value = "";
}
</script>

<template>
  <div
    class="drop"
    :class="{ over }"
    @dragover.prevent.stop="over = true"
    @dragleave="over = false"
    @drop.prevent.stop="dropped"
  >
    <p>
      <label :for="id" class="pick">Pick a survey file</label>
      <input :id="id" type="file" accept=".json,application/json" class="sr-only" @change="picked" />
      of the {{ props.what }}, or drop it here.
    </p>
    <details>
      <summary>Paste the text of a survey</summary>
      <a-textarea v-model:value="pasted" :rows="4" class="fig" aria-label="Text of a survey" spellcheck="false" />
      <a-button :disabled="!pasted.trim()" @click="take(() => readSurvey(pasted))">Read it</a-button>
    </details>
    <a-spin v-if="busy" size="small" />
    <p v-if="trouble" role="alert" class="trouble"><span class="tag stop">stop</span> {{ trouble }}</p>
  </div>
</template>

<style scoped>
.drop {
  border: 1px dashed var(--sand);
  border-radius: 8px;
  padding: 14px 16px;
  display: grid;
  gap: 8px;
}
.drop.over {
  border-color: var(--action);
  background: var(--chosen);
}
.pick {
  color: var(--action);
  font-weight: 600;
  text-decoration: underline;
  cursor: pointer;
}
.drop:has(input:focus-visible) .pick {
  outline: 2px solid var(--action);
  outline-offset: 2px;
}
summary {
  cursor: pointer;
  color: var(--muted);
}
details[open] summary {
  margin-bottom: 8px;
}
details .ant-btn {
  margin-top: 8px;
}
.trouble {
  overflow-wrap: anywhere;
}
</style>
