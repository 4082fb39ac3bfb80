<script setup lang="ts">
/** Carry out: the ways, one timeline from the first tick to the last, the rehearsal beside it, and what is taken along. */
import { useEventListener } from "@vueuse/core";
import { computed, nextTick, ref, toRef, watch } from "vue";
import { useCarry, type RecordEntry, type Way } from "../api/carry";
import type { Change, Job } from "../api/client";
import type { JobStore } from "../api/jobs";
import BenchFacts from "../carry/BenchFacts.vue";
import CheckLines from "../carry/CheckLines.vue";
import FailurePanel from "../carry/FailurePanel.vue";
import FilmView from "../carry/FilmView.vue";
import HandOver from "../carry/HandOver.vue";
import PracticePanel from "../carry/PracticePanel.vue";
import ScriptPanel from "../carry/ScriptPanel.vue";
import StepLine from "../carry/StepLine.vue";
import WayCards from "../carry/WayCards.vue";
import StartLine from "../widgets/StartLine.vue";
import { isTyping } from "../widgets/keys";
import { moment } from "../widgets/units";

const props = defineProps<{ job: Job; store: JobStore }>();
const bench = useCarry(toRef(props, "job"));
const { carry, trouble, refused, busy } = bench;
const wayRefused = props.store.refusedIn("page");
const factRefused = props.store.refusedIn("facts");
const frame = ref(0);
const film = ref<InstanceType<typeof FilmView> | null>(null);
const practice = ref<InstanceType<typeof PracticePanel> | null>(null);
const lines = ref<InstanceType<typeof StepLine>[]>([]);
const asking = ref(false);
const reason = ref<RecordEntry["reason"]>(null);
const note = ref("");

const steps = computed(() => carry.value?.steps ?? null);
const run = computed(() => carry.value?.run ?? null);
const chosenWay = computed(() => steps.value?.ways.find((way) => way.key === steps.value?.way));
const running = computed(() => !!run.value && !run.value.ended_at);
const failure = computed(() => (running.value ? (run.value?.failure ?? null) : null));
const list = (when: "before" | "after") => steps.value?.lists.filter((item) => item.when === when) ?? [];
const changeOf = (row: number | null) => steps.value?.plan.rows.find((one) => one.number === row)?.change ?? "holds";
const hasSystem = computed(() => !!steps.value?.plan.rows.some((row) => row.role === "system" && row.carried));

watch(
  () => run.value?.step,
  (now) => {
    if (!now) return;
    frame.value = Math.max(0, now - 1);
    void nextTick(() => document.querySelector(".step-line.now")?.scrollIntoView({ block: "nearest" }));
  },
);

function stateOf(number: number): "open" | "now" | "done" | "failed" {
  if (!run.value || run.value.plan_changed) return "open";
  if (run.value.ended_at) return lastOf(number)?.what === "done" ? "done" : "open";
  if (failure.value?.step === number) return "failed";
  if (run.value.step === null || number < run.value.step) return "done";
  return number === run.value.step ? "now" : "open";
}
const lastOf = (number: number) => run.value?.events.filter((event) => event.step === number).at(-1);
const tookOf = (number: number) => (stateOf(number) === "done" ? (lastOf(number)?.took ?? "") : "");

const setWay = (way: Way["key"]) => void props.store.change({ kind: "way", way }, "page");
const setFact = (change: Change) => {
  props.store.forgive();
  return props.store.change(change, "facts");
};
const begin = () => void bench.record({ what: "begin" });
const done = () => run.value?.step && void bench.record({ what: "done", step: run.value.step });
const ask = () => {
  reason.value = null;
  note.value = "";
  asking.value = true;
};
async function fail(): Promise<void> {
  if (!run.value?.step || !reason.value) return;
  if (await bench.record({ what: "failed", step: run.value.step, reason: reason.value, note: note.value })) {
    asking.value = false;
  }
}
/** Another way or plan: this record ends, and the change is made; the next one begins anew. */
async function out(change: Change): Promise<void> {
  if (await props.store.change(change, "page")) await bench.record({ what: "end" });
}

const ACTIONS: Record<string, () => unknown> = {
  b: () => !running.value && steps.value?.way && begin(),
  d: () => running.value && !failure.value && done(),
  x: () => running.value && !failure.value && ask(),
  y: () => lines.value.find((line) => line.number === (run.value?.step ?? Math.max(1, frame.value)))?.take(),
  u: () => run.value && void bench.record({ what: "back" }),
  p: () => void practice.value?.toggle(),
  arrowleft: () => film.value?.go(frame.value - 1),
  arrowright: () => film.value?.go(frame.value + 1),
  home: () => film.value?.go(0),
  end: () => film.value?.go(Infinity),
  " ": () => film.value?.play(),
};
useEventListener(window, "keydown", (event: KeyboardEvent) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey || event.shiftKey || asking.value) return;
  const key = event.key.toLowerCase();
  if (key === " " && (event.target as HTMLElement).closest("button, a, summary")) return;
  const way = steps.value?.ways[Number(key) - 1];
  if (way?.possible && !running.value) setWay(way.key);
  else if (ACTIONS[key]) ACTIONS[key]();
  else return;
  event.preventDefault();
});
</script>

<template>
  <section v-if="!job.source || !job.target_head" class="card missing">
    <h1>Carry out</h1>
    <p>
      Before anything can be carried out, the {{ !job.source ? "source" : "target" }} must be known.
      <router-link :to="`/jobs/${job.id}/${!job.source ? 'source' : 'target'}`">
        {{ !job.source ? "Read the source" : "Choose the target" }}
      </router-link>
    </p>
  </section>
  <section v-else-if="trouble && !carry" class="card missing" role="alert">
    <p>{{ trouble }}</p>
    <p><a-button size="small" @click="bench.load()">Try again</a-button></p>
  </section>
  <a-spin v-else-if="!carry" class="missing" tip="Working out the steps" />
  <section v-else-if="!steps" class="card missing" role="alert">
    <h1>No plan</h1>
    <p>{{ carry.trouble?.detail }}. {{ carry.trouble?.mend }}</p>
    <p><router-link :to="`/jobs/${job.id}/fit`">Go to Fit</router-link></p>
  </section>
  <div v-else class="carry">
    <div class="top">
      <div>
        <h1>{{ carry.headline }}</h1>
        <p v-if="!steps.way" class="muted">
          <template v-if="steps.plan.verdict === 'does-not-fit'">
            <router-link :to="`/jobs/${job.id}/fit`">Fit</router-link> says what would make it fit.
          </template>
          <template v-else>Each way below says what stands against it.</template>
        </p>
        <p v-else-if="run && running && run.plan_changed" role="alert">
          <span class="tag mind">mind</span> The plan was changed since this record began; end it, then begin anew.
          <a-button size="small" @click="bench.record({ what: 'end' })">End this record</a-button>
        </p>
        <p v-else-if="run && running">
          Under way by {{ run.way_name.toLowerCase() }} since {{ moment(run.begun_at) }}
          <template v-if="run.step"> · step {{ run.step }} of {{ run.steps.length }}</template>
          <template v-if="run.took"> · {{ run.took }} so far</template>
        </p>
        <p v-else-if="run?.ended_at">
          {{
            run.events.at(-1)?.what === "done" && run.events.at(-1)?.step === run.steps.length ? "Carried out" : "Ended"
          }}
          {{ moment(run.ended_at) }}<template v-if="run.took"> after {{ run.took }}</template>
        </p>
      </div>
      <div class="acts no-print">
        <a-button v-if="run" size="small" :disabled="busy" title="Take the last entry back (U)" @click="ACTIONS.u!()">
          Take back
        </a-button>
        <a-button v-if="!running && steps.way" type="primary" :disabled="busy" @click="begin">
          {{ run ? "Begin anew" : "Begin" }} <kbd>B</kbd>
        </a-button>
      </div>
    </div>
    <p v-if="refused || wayRefused" role="alert">
      <span class="tag stop">stop</span> {{ refused || wayRefused?.message }}
    </p>
    <StartLine :start="steps.plan.start" />
    <WayCards
      :times-from="steps.times_from"
      :ways="steps.ways"
      :way="steps.way"
      :proposed="steps.proposed"
      :running="running"
      @way="setWay"
    />
    <div class="panes">
      <div class="column">
        <BenchFacts
          v-if="carry.questions.length"
          :questions="carry.questions"
          :options="job.options"
          :has-system="hasSystem"
          :running="running"
          :refused="factRefused"
          :change="setFact"
        />
        <FailurePanel
          v-if="failure"
          :failure="failure"
          @again="(step) => bench.record({ what: 'again', step })"
          @out="out"
          @end="bench.record({ what: 'end' })"
        />
        <section v-if="steps.way" class="card line" aria-label="Timeline">
          <CheckLines title="Before" :items="list('before')" :ticks="carry.ticks" @tick="bench.tick" />
          <section aria-label="Steps">
            <h2>Steps</h2>
            <ol>
              <StepLine
                v-for="step in steps.steps"
                ref="lines"
                :key="step.number"
                :step="step"
                :change="changeOf(step.row)"
                :state="stateOf(step.number)"
                :took="tookOf(step.number)"
                :chosen="frame === step.number"
                :progress="run?.progress?.step === step.number ? run.progress : null"
                @choose="frame = step.number"
                @done="done"
                @failed="ask"
              />
            </ol>
          </section>
          <CheckLines title="Afterwards" :items="list('after')" :ticks="carry.ticks" @tick="bench.tick" />
        </section>
      </div>
      <aside v-if="steps.way">
        <FilmView ref="film" v-model:step="frame" :carry="carry" :steps="steps" :job="job" />
        <PracticePanel v-if="!job.closed" ref="practice" :job="job.id" @moved="bench.load()" />
        <ScriptPanel v-if="!job.closed" :job="job.id" :way="chosenWay" :bench="bench" />
        <HandOver :job="job.id" />
      </aside>
    </div>
  </div>
  <a-modal v-model:open="asking" title="Why did it fail?" :footer="null" width="440px">
    <fieldset>
      <legend class="sr-only">Reason</legend>
      <label v-for="one in carry?.reasons" :key="one.key">
        <input v-model="reason" type="radio" name="reason" :value="one.key" /> {{ one.text }}
      </label>
    </fieldset>
    <label class="note">What it said <a-input v-model:value="note" :maxlength="200" @press-enter="fail" /></label>
    <p v-if="refused" role="alert"><span class="tag stop">stop</span> {{ refused }}</p>
    <div class="acts end">
      <a-button @click="asking = false">It did not fail</a-button>
      <a-button type="primary" :disabled="!reason || busy" @click="fail">Record it</a-button>
    </div>
  </a-modal>
  <Teleport to="footer">
    <span class="keys muted no-print">
      <span v-if="(steps?.ways.length ?? 0) > 1">
        <kbd>1</kbd>–<kbd>{{ steps?.ways.length }}</kbd> way&nbsp;
      </span>
      <kbd>B</kbd> begin <kbd>D</kbd> step done <kbd>X</kbd> failed <kbd>U</kbd> take back <kbd>←</kbd>
      <kbd>→</kbd> rehearsal <kbd>?</kbd> all keys
    </span>
  </Teleport>
</template>

<style scoped>
.missing {
  display: grid;
  gap: 8px;
  max-width: 560px;
  margin: 8vh auto;
}
.carry {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
}
.top {
  display: flex;
  justify-content: space-between;
  gap: 20px;
}
.acts {
  display: flex;
  gap: 8px;
  align-items: center;
}
.acts.end {
  justify-content: flex-end;
  margin-top: 12px;
}
.panes {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 372px;
  gap: 12px;
  align-items: start;
}
.column,
aside,
.line {
  display: grid;
  gap: 10px;
}
aside {
  position: sticky;
  top: 56px;
}
ol {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
}
fieldset {
  display: grid;
  gap: 6px;
  border: 0;
  margin: 0;
  padding: 0;
}
.note {
  display: grid;
  margin-top: 10px;
}
.keys {
  order: -1;
  margin-right: auto;
}
@media (max-width: 980px) {
  .panes {
    grid-template-columns: minmax(0, 1fr);
  }
  aside {
    position: static;
  }
  .keys {
    display: none;
  }
}
</style>
