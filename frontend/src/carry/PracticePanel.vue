<script setup lang="ts">
/** Practice on the bench: the job carried out on its stand-in, with a fault if wished, and a way to stop it. */
import { useIntervalFn } from "@vueuse/core";
import { computed, onMounted, ref, shallowRef } from "vue";
import { client, data, type Schemas } from "../api/client";
import FoldCard from "../widgets/FoldCard.vue";
import PickOne from "../widgets/PickOne.vue";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: number }>();
const emit = defineEmits<{ moved: [] }>();
const practice = shallowRef<Schemas["PracticeModel"] | null>(null);
const fault = ref<Schemas["FaultModel"]["key"]>("none");
const trouble = ref("");
const at = () => ({ params: { path: { job_id: props.job } } });

async function take(call: Promise<Schemas["PracticeModel"]>): Promise<void> {
  try {
    const before = practice.value;
    practice.value = await call;
    trouble.value = "";
    if (before?.step !== practice.value.step || before.state !== practice.value.state) emit("moved");
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}
const look = () => take(data(client.GET("/api/jobs/{job_id}/practice", at())));
const running = computed(() => practice.value?.state === "running");
useIntervalFn(() => running.value && void look(), 500);
onMounted(look);

const begin = () =>
  take(data(client.POST("/api/jobs/{job_id}/practice", { ...at(), body: { fault: fault.value, pace: 12 } })));
const stop = () => take(data(client.DELETE("/api/jobs/{job_id}/practice", at())));
const toggle = () => (running.value ? stop() : practice.value?.why_not ? undefined : begin());
defineExpose({ toggle });
const choices = computed(() => (practice.value?.faults ?? []).map((one) => ({ value: one.key, label: one.text })));
const line = computed(() => {
  if (!practice.value) return "";
  if (running.value) return `step ${practice.value.step} of ${practice.value.of}`;
  return practice.value.why_not ? "not with these disks" : "the stand-in is written for real";
});
const ENDS = { done: "The bench is done.", stopped: "The bench was stopped.", failed: "" } as const;
</script>

<template>
  <FoldCard v-if="practice" class="no-print" name="Practice on the bench" :line="line" :open="!!practice.state">
    <p v-if="practice.why_not" class="muted">{{ practice.why_not }}.</p>
    <template v-else>
      <p class="muted">The stand-in is written for real: table and file systems, step by step.</p>
      <div v-if="running" role="status">
        <progress :value="practice.step" :max="practice.of" aria-label="Progress of the practice"></progress>
        step {{ practice.step }} of {{ practice.of }}
        <a-button size="small" @click="stop">Stop <kbd>P</kbd></a-button>
      </div>
      <div v-else class="row">
        <PickOne v-model="fault" :choices="choices" label="What goes wrong" />
        <a-button size="small" @click="begin">Practise <kbd>P</kbd></a-button>
      </div>
      <p v-if="practice.state && practice.state !== 'running'">
        {{ ENDS[practice.state] }} {{ practice.trouble }}
        <router-link :to="`/jobs/${job}/check`">Check back</router-link>
      </p>
    </template>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
  </FoldCard>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
}
progress {
  accent-color: var(--action);
}
</style>
