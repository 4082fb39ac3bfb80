<script setup lang="ts">
/** The step to do now: what, from and to, what it should take, so far and left, done and failed. */
import { computed, ref } from "vue";
import type { Run, Step } from "../api/carry";
import type { Schemas } from "../api/client";
import { size } from "../widgets/units";
import ByHand from "./ByHand.vue";
import StepBar from "./StepBar.vue";

const props = defineProps<{
  present: Schemas["PresentModel"];
  step: Step;
  of: number;
  change: string;
  progress: Run["progress"];
  busy: boolean;
}>();
const emit = defineEmits<{ done: []; failed: [] }>();
const hand = ref<InstanceType<typeof ByHand>>();
defineExpose({ take: () => hand.value?.take() });

/** A script that tells how far it is knows better what is left. */
const told = computed(() => (props.progress?.step === props.present.step ? props.progress : null));
const times = computed(() => [
  { word: "Should take", value: props.present.time },
  { word: "So far", value: told.value?.so_far ?? props.present.so_far },
  { word: "Left", value: told.value?.left ?? (props.present.left || "longer than it should") },
]);
</script>

<template>
  <section class="card present" aria-label="Present step">
    <p class="muted">
      Step {{ present.step }} of {{ of
      }}<template v-if="present.failed_before"> · once more, it failed before</template>
    </p>
    <h2>{{ present.say }}</h2>
    <StepBar :step="step" :change="change" />
    <dl>
      <div v-for="time in times" :key="time.word">
        <dt>{{ time.word }}</dt>
        <dd class="fig">{{ time.value }}</dd>
      </div>
    </dl>
    <div v-if="told" class="told" role="status">
      <a-progress :percent="told.percent" :show-info="false" />
      <span class="fig">{{ told.percent }} % {{ told.word }}, {{ size(told.bytes) }} of {{ size(told.of) }}</span>
    </div>
    <div class="acts no-print">
      <a-button size="large" type="primary" :disabled="busy" @click="emit('done')">Step done <kbd>D</kbd></a-button>
      <a-button size="large" :disabled="busy" @click="emit('failed')">It failed <kbd>X</kbd></a-button>
    </div>
    <ByHand ref="hand" :key="step.number" :step="step" :open="!told" />
  </section>
</template>

<style scoped>
.present {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  box-shadow: inset 4px 0 0 var(--action);
}
h2 {
  font-size: 20px;
  line-height: 1.25;
}
dl {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 28px;
  margin: 2px 0;
}
dt {
  font-size: 12px;
  color: var(--muted);
}
dd {
  margin: 0;
  font-size: 17px;
}
.told {
  max-width: 620px;
}
.acts {
  display: flex;
  gap: 10px;
}
@media (max-width: 600px) {
  .acts > * {
    flex: 1;
    min-height: 52px;
  }
}
</style>
