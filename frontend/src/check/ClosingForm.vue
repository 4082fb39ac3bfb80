<script setup lang="ts">
/** How a job ends: the result, a note, and until when the old disk is kept. */
import { computed, reactive, ref } from "vue";
import type { CheckBack } from "../api/check";
import type { Schemas } from "../api/client";
import { moment } from "../widgets/units";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ check: CheckBack; unfinished: string }>();
const emit = defineEmits<{ close: [body: Schemas["CloseRequest"]]; reopen: [] }>();
const inWeeks = (weeks: number) => new Date(Date.now() + weeks * 7 * 864e5).toISOString().slice(0, 10);
const fields = reactive({ result: "done" as "done" | "given-up", note: "", until: inWeeks(4), minutes: "" });
const whole = (text: string) => (/^\d{1,5}$/.test(text.trim()) ? Number(text) : null);
/** `null` is what cannot be read. */
const typed = computed(() => (fields.minutes.trim() ? whole(fields.minutes) : undefined));
const WRONG = { validateStatus: "error", help: "Write whole minutes, such as 95." } as const;
const ofSteps = ref<Record<number, string>>({});
const stepMinutes = computed(() =>
  Object.entries(ofSteps.value).flatMap(([step, text]) =>
    text.trim() ? [{ step: Number(step), minutes: whole(text) }] : [],
  ),
);
const wrongSteps = computed(() => stepMinutes.value.some(({ minutes: taken }) => taken === null));
const wrong = computed(() => typed.value === null || wrongSteps.value);
const send = (sure = false) =>
  emit("close", {
    sure,
    result: fields.result,
    note: fields.note,
    keep_until: fields.until || null,
    minutes: typed.value ?? null,
    step_minutes: stepMinutes.value.map(({ step, minutes: taken }) => ({ step, minutes: taken ?? 0 })),
  });
const today = () => new Date().toISOString().slice(0, 10);
</script>

<template>
  <section class="card" aria-label="Closing">
    <template v-if="props.check.closing">
      <h2>Closed {{ moment(check.closing!.closed_at) }}</h2>
      <p>
        {{ check.closing!.result === "done" ? "Done" : "Given up"
        }}<template v-if="check.took"> · carried out in {{ check.took }}</template>
      </p>
      <p v-if="check.closing!.note">{{ check.closing!.note }}</p>
      <p v-if="check.closing!.keep_until">
        The old disk is kept until {{ check.closing!.keep_until }}.
        <a-tag v-if="check.closing!.keep_until < today()" class="tag mind">its time has come</a-tag>
      </p>
      <a-button size="small" @click="emit('reopen')">Open it again</a-button>
    </template>
    <a-form v-else :model="fields" name="closing" layout="vertical" @finish="send()">
      <h2>Close the job</h2>
      <a-radio-group v-model:value="fields.result" role="radiogroup" aria-label="How it ended" name="result">
        <a-radio value="done">Done</a-radio>
        <a-radio value="given-up">Given up</a-radio>
      </a-radio-group>
      <a-form-item class="field" label="Note" name="note">
        <a-input v-model:value="fields.note" :maxlength="10000" />
      </a-form-item>
      <a-form-item class="field" label="The old disk is kept until" html-for="keep-until">
        <input id="keep-until" v-model="fields.until" type="date" class="fig" />
      </a-form-item>
      <a-form-item class="field" label="Carried out in minutes" name="minutes" v-bind="typed === null ? WRONG : {}">
        <a-input
          v-model:value="fields.minutes"
          class="fig"
          inputmode="numeric"
          :maxlength="5"
          :placeholder="check.took"
        />
      </a-form-item>
      <details v-if="check.steps.length" class="field">
        <summary>Minutes of single steps</summary>
        <p class="muted">What copies took teaches the time ranges of jobs between such disks.</p>
        <label v-for="step in check.steps" :key="step.number" class="step">
          <span>{{ step.number }} {{ step.say }}</span>
          <a-input
            v-model:value="ofSteps[step.number]"
            class="fig"
            inputmode="numeric"
            :maxlength="5"
            :placeholder="step.took"
          />
        </label>
      </details>
      <TroubleLine v-if="wrongSteps">{{ WRONG.help }}</TroubleLine>
      <p v-if="check.took" class="muted">{{ check.took }}, as the record says, unless something is typed.</p>
      <TroubleLine v-if="unfinished && fields.result === 'done'">
        {{ unfinished }}.
        <a-button size="small" :disabled="wrong" @click="send(true)">It is done all the same</a-button>
      </TroubleLine>
      <a-button html-type="submit" type="primary" :disabled="wrong">Close</a-button>
    </a-form>
  </section>
</template>

<style scoped>
section,
form {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  justify-items: start;
}
form {
  justify-self: stretch;
}
.field {
  justify-self: stretch;
  min-width: 0;
}
details.field {
  display: grid;
}
.step {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 84px;
  gap: 8px;
  align-items: center;
  margin-top: 4px;
  font-size: 13px;
}
input[type="date"] {
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--sand);
  border-radius: 6px;
  padding: 3px 6px;
}
</style>
