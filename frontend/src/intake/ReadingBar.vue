<script setup lang="ts">
/** How far a reading is, and a way to stop it. */
import { computed } from "vue";
import { stopReading, type Progress } from "../api/reading";

const props = defineProps<{ progress: Progress }>();
const share = computed(() => {
  const { done_bytes: done, total_bytes: total } = props.progress;
  return total ? Math.min(99, Math.round((done * 100) / total)) : 0;
});
</script>

<template>
  <div class="bar" role="status">
    <a-progress :percent="share" size="small" :show-info="false" />
    <span class="fig">{{ share }} %</span>
    <a-button size="small" @click="stopReading(props.progress.id)">Stop</a-button>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
