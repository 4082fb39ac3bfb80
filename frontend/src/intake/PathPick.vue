<script setup lang="ts">
/** An image or a device by its path on the machine that Ylemorph runs on, with progress and a way to stop. */
import { computed, onUnmounted, ref, shallowRef } from "vue";
import type { Survey } from "../api/client";
import { beginReading, lookAtReading, stopReading, type Progress } from "../api/reading";

const props = defineProps<{ what: string; folders: string[] }>();
const emit = defineEmits<{ survey: [survey: Survey, words: string[]] }>();
const path = ref("");
const trouble = ref("");
const running = shallowRef<Progress | null>(null);
let timer = 0;

const share = computed(() => {
  const { done_bytes: done, total_bytes: total } = running.value ?? { done_bytes: 0, total_bytes: 0 };
  return total ? Math.min(99, Math.round((done * 100) / total)) : 0;
});

async function begin(): Promise<void> {
  trouble.value = "";
  try {
    await follow(await beginReading(path.value));
  } catch (error) {
    trouble.value = (error as Error).message;
    running.value = null;
  }
}

async function follow(progress: Progress): Promise<void> {
  running.value = progress;
  while (running.value?.state === "running") {
    await new Promise((resolve) => (timer = window.setTimeout(resolve, 150)));
    running.value = await lookAtReading(progress.id);
  }
  const { state, survey, trouble: failed } = running.value ?? progress;
  running.value = null;
  if (state === "done" && survey) emit("survey", survey, []);
  else trouble.value = state === "stopped" ? "The reading was stopped." : failed;
}
onUnmounted(() => clearTimeout(timer));
</script>

<template>
  <form class="path" @submit.prevent="begin">
    <label for="path">Image or device of the {{ props.what }}, in {{ props.folders.join(", ") }}</label>
    <div class="row">
      <a-input id="path" v-model:value="path" class="fig" :placeholder="`${props.folders[0]}/desk.img`" />
      <a-button html-type="submit" :disabled="!path.trim() || !!running">Read it</a-button>
    </div>
    <div v-if="running" class="row" role="status">
      <a-progress :percent="share" size="small" :show-info="false" />
      <span class="fig">{{ share }} %</span>
      <a-button size="small" @click="stopReading(running.id)">Stop</a-button>
    </div>
    <p class="muted">It is opened for reading only.</p>
    <p v-if="trouble" role="alert"><span class="tag stop">stop</span> {{ trouble }}</p>
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
