<script setup lang="ts">
/** One step of the timeline: what, from and to as a small bar, bytes, time, and in a fold what to type and to beware. */
import { computed, ref } from "vue";
import type { Run, Step } from "../api/carry";
import PasteLines from "./PasteLines.vue";
import FiguresTable from "../widgets/FiguresTable.vue";
import { size } from "../widgets/units";

const props = defineProps<{
  step: Step;
  change: string;
  state: "open" | "now" | "done" | "failed";
  took: string;
  chosen: boolean;
  progress?: Run["progress"];
}>();
const emit = defineEmits<{ choose: []; done: []; failed: [] }>();
const lines = ref<InstanceType<typeof PasteLines>>();
defineExpose({ number: props.step.number, take: () => lines.value?.take() });
const shown = ref<boolean | null>(null); // as the technician left it; null: open while the step is under way

const unfolded = computed(() => shown.value ?? props.state === "now");
const changes = computed(
  () => !!props.step.from && !!props.step.to && props.step.from.sectors !== props.step.to.sectors,
);
const largest = computed(() => Math.max(props.step.from?.sectors ?? 1, props.step.to?.sectors ?? 1));
const width = (sectors: number | undefined) => Math.max(2, ((sectors ?? 0) / largest.value) * 120);
const bytes = computed(() => {
  const written = props.step.write_bytes;
  if (written === null) return "bytes not known";
  return written ? size(written) : "";
});
</script>

<template>
  <li class="step-line" :class="[state, { chosen }]" :aria-current="state === 'now' ? 'step' : undefined">
    <span class="mark" :class="change" aria-hidden="true">{{
      state === "done" ? "✓" : state === "failed" ? "✗" : step.number
    }}</span>
    <div class="body">
      <button class="text" type="button" :aria-pressed="chosen" @click="emit('choose')">
        <span class="sr-only">Step {{ step.number }}{{ state === "done" ? ", done" : "" }}: </span>{{ step.say }}
      </button>
      <svg v-if="changes" class="bar" :class="change" width="122" height="11" aria-hidden="true">
        <rect class="was" x="1" y="0.5" :width="width(step.from?.sectors)" height="4" />
        <rect class="will" x="1" y="6" :width="width(step.to?.sectors)" height="4.5" />
      </svg>
      <details :open="unfolded">
        <summary @click.prevent="shown = !unfolded">
          {{ step.figures.length ? "Figures and lines by hand" : "By hand" }}
        </summary>
        <FiguresTable
          v-if="step.figures.length"
          :figures="step.figures"
          :caption="`Figures to type for step ${step.number}`"
        />
        <PasteLines ref="lines" :step="step" />
        <p v-for="text in step.before" :key="text"><span class="muted">Before:</span> {{ text }}.</p>
        <p><span class="muted">Afterwards:</span> {{ step.undo }}.</p>
      </details>
      <div v-if="state === 'now' && progress" class="progress" role="status">
        <a-progress :percent="progress.percent" :show-info="false" size="small" />
        <span class="fig">
          {{ progress.percent }} % {{ progress.word }}, {{ size(progress.bytes) }} of {{ size(progress.of) }} ·
          {{ progress.so_far }} so far, {{ progress.left }} left
        </span>
      </div>
      <div v-if="state === 'now'" class="acts no-print">
        <a-button size="small" type="primary" @click="emit('done')">Step done <kbd>D</kbd></a-button>
        <a-button size="small" @click="emit('failed')">It failed <kbd>X</kbd></a-button>
      </div>
    </div>
    <span class="fig right">
      <span>{{ took ? `took ${took}` : step.time }}</span>
      <span class="muted">{{ bytes }}</span>
    </span>
  </li>
</template>

<style scoped>
.step-line {
  display: grid;
  grid-template-columns: 24px minmax(0, 1fr) max-content;
  gap: 10px;
  padding: 6px 6px;
  border-bottom: 1px solid var(--line);
}
.step-line.chosen {
  background: var(--chosen);
}
.step-line.now {
  box-shadow: inset 3px 0 0 var(--action);
}
.mark {
  display: grid;
  place-items: center;
  width: 22px;
  height: 22px;
  border: 1.5px solid currentColor;
  border-radius: 11px;
  font:
    600 11px "IBM Plex Mono",
    monospace; /* prettier-ignore */
}
.done .text {
  color: var(--muted);
}
.text {
  font: inherit;
  font-weight: 500;
  color: var(--ink);
  text-align: left;
  background: none;
  border: 0;
  padding: 1px 0;
  cursor: pointer;
}
.bar {
  display: block;
}
.bar .was {
  fill: currentColor;
  opacity: 0.35;
}
.bar .will {
  fill: currentColor;
}
details {
  font-size: 12px;
}
summary {
  color: var(--muted);
  cursor: pointer;
}
.progress {
  max-width: 520px;
  font-size: 12px;
}
.acts {
  display: flex;
  gap: 8px;
  margin: 6px 0 2px;
}
.right {
  display: grid;
  justify-items: end;
  align-content: start;
  font-size: 12px;
}
.body {
  min-width: 0;
}
details {
  overflow-x: auto;
}
@media (max-width: 600px) {
  .step-line {
    grid-template-columns: 24px minmax(0, 1fr);
  }
  .right {
    grid-column: 2;
    justify-items: start;
  }
}
</style>
