<script setup lang="ts">
/** An image or a device by its path on the machine that Ylemorph runs on, with progress and a way to stop. */
import { ref } from "vue";
import type { Survey } from "../api/client";
import { beginReading } from "../api/reading";
import ReadingBar from "./ReadingBar.vue";
import { useReading } from "./reading";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ what: string; folders: string[] }>();
const emit = defineEmits<{ survey: [survey: Survey, words: string[]] }>();
const path = ref("");
const { running, trouble, read } = useReading();

async function begin(): Promise<void> {
  const survey = await read(() => beginReading(path.value));
  if (survey) emit("survey", survey, []);
}
</script>

<template>
  <form class="path" @submit.prevent="begin">
    <label for="path">Image or device of the {{ props.what }}, in {{ props.folders.join(", ") }}</label>
    <div class="row">
      <a-input id="path" v-model:value="path" class="fig" :placeholder="`${props.folders[0]}/desk.img`" />
      <a-button html-type="submit" :disabled="!path.trim() || !!running">Read it</a-button>
    </div>
    <ReadingBar v-if="running" :progress="running" />
    <p class="muted">It is opened for reading only.</p>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
  </form>
</template>

<style scoped>
.path {
  display: grid;
  gap: 6px;
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
