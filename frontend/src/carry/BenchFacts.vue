<script setup lang="ts">
/** What is asked of the bench: only what decides something for this job. Each answer is a change of the job. */
import { computed, ref, watch } from "vue";
import type { Question } from "../api/carry";
import type { Change, Options, ProblemError } from "../api/client";
import { size } from "../widgets/units";
import { LINKS } from "../widgets/words";
import FoldCard from "../widgets/FoldCard.vue";
import PickOne from "../widgets/PickOne.vue";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{
  questions: Question[];
  options: Options;
  hasSystem: boolean;
  folded: boolean;
  refused: ProblemError | null;
  change: (change: Change) => Promise<boolean>;
}>();

const WORDS: Record<string, string> = {
  ...LINKS, unknown: "not said", yes: "yes", no: "no", none: "no", paused: "yes, paused for the clone",
  active: "yes, and active", good: "good", worn: "worn", failing: "failing",
}; // prettier-ignore
const open = computed(() => props.questions.filter((question) => question.decides && !question.answer).length);
const typed = ref<Record<string, string>>({});
/** An answer that is typed: a size in the units that are shown, or the numbers of rows. */
function written(question: Question): string {
  if (question.kind === "rows") return question.answer;
  return question.bytes === null ? "" : size(question.bytes);
}
watch(
  () => props.questions,
  (questions) => {
    typed.value = Object.fromEntries(questions.filter((q) => q.kind !== "choice").map((q) => [q.fact, written(q)]));
  },
  { immediate: true },
);
const choices = (question: Question) => question.choices.map((value) => ({ value, label: WORDS[value] ?? value }));
const say = (fact: Question["fact"], value: string) =>
  void props.change({ kind: "fact", fact, value: value === "unknown" ? null : value });
function keep(question: Question): void {
  const text = (typed.value[question.fact] ?? "").trim();
  if (text !== written(question)) void props.change({ kind: "fact", fact: question.fact, value: text || null });
}
const MODES = [
  { value: "unknown", label: "not said" },
  { value: "uefi", label: "UEFI" },
  { value: "legacy", label: "legacy" },
] as const;
</script>

<template>
  <FoldCard name="The bench" :line="open ? `${open} not said yet` : 'all said'" :open="!folded">
    <div class="facts">
      <label v-for="question in questions" :key="question.fact">
        <span>
          {{ question.text }}
          <span v-if="question.said_by" class="muted">{{ question.said_by }} says so</span>
        </span>
        <PickOne
          v-if="question.kind === 'choice'"
          :model-value="question.answer || 'unknown'"
          :choices="choices(question)"
          @update:model-value="(value) => say(question.fact, value)"
        />
        <input
          v-else
          v-model="typed[question.fact]"
          class="fig"
          :placeholder="question.kind === 'rows' ? 'such as 3, 4' : 'such as 300 GiB'"
          maxlength="60"
          @keydown.enter.prevent="keep(question)"
          @blur="keep(question)"
        />
      </label>
      <label v-if="hasSystem">
        <span>How does the machine start?</span>
        <PickOne
          :model-value="options.firmware ?? 'unknown'"
          :choices="MODES"
          @update:model-value="(value) => change({ kind: 'firmware', value: value === 'unknown' ? null : value })"
        />
      </label>
    </div>
    <template #always>
      <TroubleLine v-if="refused">{{ refused.message }}</TroubleLine>
    </template>
  </FoldCard>
</template>

<style scoped>
.facts {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(180px, 1fr));
  gap: 8px 18px;
}
label {
  display: grid;
  align-content: space-between;
  justify-items: start;
  gap: 2px;
  line-height: 1.25;
}
input {
  width: 136px;
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--sand);
  border-radius: 6px;
  padding: 2px 6px;
}
</style>
