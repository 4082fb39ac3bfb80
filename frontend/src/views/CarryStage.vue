<script setup lang="ts">
/** Carry out: before it begins the ways and the whole timeline; under way the present step, the rest a line each. */
import { useEventListener } from "@vueuse/core";
import { computed, nextTick, ref, toRef, watch } from "vue";
import { useCarry, type RecordEntry, type Way } from "../api/carry";
import type { Change, Job } from "../api/client";
import type { JobStore } from "../api/jobs";
import BenchFacts from "../carry/BenchFacts.vue";
import CheckLines from "../carry/CheckLines.vue";
import FailurePanel from "../carry/FailurePanel.vue";
import FilmView from "../carry/FilmView.vue";
import FinishedPanel from "../carry/FinishedPanel.vue";
import HandOver from "../carry/HandOver.vue";
import PracticePanel from "../carry/PracticePanel.vue";
import PresentStep from "../carry/PresentStep.vue";
import { useProgress } from "../carry/progress";
import ScriptPanel from "../carry/ScriptPanel.vue";
import StepList from "../carry/StepList.vue";
import WayCards from "../carry/WayCards.vue";
import WhyFailed from "../carry/WhyFailed.vue";
import FoldCard from "../widgets/FoldCard.vue";
import StartLine from "../widgets/StartLine.vue";
import { isTyping } from "../widgets/keys";
import { moment } from "../widgets/units";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: Job; store: JobStore }>();
const bench = useCarry(toRef(props, "job"));
const { carry, trouble, refused, busy } = bench;
const wayRefused = props.store.refusedIn("page");
const factRefused = props.store.refusedIn("facts");
const frame = ref(0);
const film = ref<InstanceType<typeof FilmView> | null>(null);
const practice = ref<InstanceType<typeof PracticePanel> | null>(null);
const list = ref<InstanceType<typeof StepList> | null>(null);
const presentStep = ref<InstanceType<typeof PresentStep> | null>(null);
const asking = ref(false);
const failing = ref(0); // the step that is asked about, wherever a script has come meanwhile

const progress = useProgress(carry);
const { run, running, finished, failure, present } = progress;
const steps = computed(() => carry.value?.steps ?? null);
const chosenWay = computed(() => steps.value?.ways.find((way) => way.key === steps.value?.way));
/** Everything but the present step is a line that opens. */
const folded = computed(() => (running.value && !run.value?.plan_changed) || finished.value);
const doing = computed(() => steps.value?.steps.find((step) => step.number === present.value?.step));
const past = computed(() =>
  folded.value ? (steps.value?.steps.filter((one) => progress.isDone(one.number)) ?? []) : [],
);
const ahead = computed(
  () =>
    steps.value?.steps.filter(
      (one) => !folded.value || (!progress.isDone(one.number) && one.number !== present.value?.step),
    ) ?? [],
);
const items = (when: "before" | "after") => steps.value?.lists.filter((item) => item.when === when) ?? [];
const ticked = (when: "before" | "after") => items(when).filter((item) => carry.value?.ticks[item.key]).length;
const count = (when: "before" | "after") => `${ticked(when)} of ${items(when).length}`;
const changeOf = (row: number | null) => steps.value?.plan.rows.find((one) => one.number === row)?.change ?? "holds";
const hasSystem = computed(() => !!steps.value?.plan.rows.some((row) => row.role === "system" && row.carried));

watch(
  () => run.value?.step,
  (now) => {
    if (now) frame.value = Math.max(0, now - 1);
    else if (finished.value) frame.value = run.value?.steps.length ?? 0;
    void nextTick(() => document.querySelector(".present")?.scrollIntoView({ block: "nearest" }));
  },
);

const setWay = (way: Way["key"]) => void props.store.change({ kind: "way", way }, "page");
const setFact = (change: Change) => {
  props.store.forgive();
  return props.store.change(change, "facts");
};
const begin = () => void bench.record({ what: "begin" });
const done = () => present.value && void bench.record({ what: "done", step: present.value.step });
function ask(): void {
  if (!present.value) return;
  failing.value = present.value.step;
  asking.value = true;
}
async function fail(reason: NonNullable<RecordEntry["reason"]>, note: string): Promise<void> {
  if (await bench.record({ what: "failed", step: failing.value, reason, note })) asking.value = false;
}
/** Another way or plan: this record ends, and the change is made; the next one begins anew. */
async function out(change: Change): Promise<void> {
  if (await props.store.change(change, "page")) await bench.record({ what: "end" });
}

const ways = computed(() => ({
  timesFrom: steps.value?.times_from ?? "",
  wide: steps.value?.wide ?? "",
  ways: steps.value?.ways ?? [],
  way: steps.value?.way ?? null,
  proposed: steps.value?.proposed ?? null,
  running: running.value,
}));
const facts = computed(() => ({
  questions: carry.value?.questions ?? [],
  options: props.job.options,
  hasSystem: hasSystem.value,
  folded: folded.value,
  refused: factRefused.value,
  change: setFact,
}));

const ACTIONS: Record<string, () => unknown> = {
  b: () => !running.value && steps.value?.way && begin(),
  d: () => done(),
  x: () => ask(),
  y: () => (presentStep.value ? presentStep.value.take() : list.value?.take(Math.max(1, frame.value))),
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
  <div v-else class="carry" :class="{ folded }">
    <div class="top">
      <div>
        <h1>{{ carry.headline }}</h1>
        <p v-if="!steps.way" class="muted">
          <template v-if="steps.plan.verdict === 'does-not-fit'">
            <router-link :to="`/jobs/${job.id}/fit`">Fit</router-link> says what would make it fit.
          </template>
          <template v-else>Each way below says what stands against it.</template>
        </p>
        <TroubleLine v-else-if="run && running && run.plan_changed" level="mind">
          The plan was changed since this record began; end it, then begin anew.
          <a-button size="small" @click="bench.record({ what: 'end' })">End this record</a-button>
        </TroubleLine>
        <p v-else-if="run && running" class="muted">
          Under way by {{ run.way_name.toLowerCase() }} since {{ moment(run.begun_at) }}
        </p>
        <p v-else-if="run?.ended_at && !finished">
          Ended {{ moment(run.ended_at) }}<template v-if="run.took"> after {{ run.took }}</template>
        </p>
      </div>
      <div class="acts no-print">
        <a-button v-if="run" size="small" :disabled="busy" title="Take the last entry back (U)" @click="ACTIONS.u!()">
          Take back
        </a-button>
        <a-button
          v-if="!running && steps.way"
          :type="finished ? 'default' : 'primary'"
          :size="finished ? 'small' : 'middle'"
          :disabled="busy"
          @click="begin"
        >
          {{ run ? "Begin anew" : "Begin" }} <kbd>B</kbd>
        </a-button>
      </div>
    </div>
    <TroubleLine v-if="refused || wayRefused">{{ refused || wayRefused?.message }}</TroubleLine>
    <template v-if="!folded">
      <StartLine :start="steps.plan.start" />
      <WayCards v-bind="ways" @way="setWay" />
    </template>
    <div class="panes">
      <div class="column">
        <BenchFacts v-if="!folded && carry.questions.length" v-bind="facts" />
        <FoldCard v-if="steps.way && folded" name="Before" :line="count('before')">
          <CheckLines title="Before" :items="items('before')" :ticks="carry.ticks" @tick="bench.tick" />
        </FoldCard>
        <FoldCard v-if="past.length" name="Steps done" :line="`${past.length} of ${steps.steps.length}`">
          <StepList v-model:chosen="frame" name="Steps done" :steps="past" :plan="steps.plan" :progress="progress" />
        </FoldCard>
        <FailurePanel
          v-if="failure"
          :failure="failure"
          :of="run?.steps.length ?? 0"
          :took="run?.events.at(-1)?.took ?? ''"
          @again="(step) => bench.record({ what: 'again', step })"
          @out="out"
          @end="bench.record({ what: 'end' })"
        />
        <FinishedPanel
          v-if="finished && run"
          :job="job.id"
          :run="run"
          :open="items('after').length - ticked('after')"
        />
        <PresentStep
          v-if="present && doing && folded"
          ref="presentStep"
          :present="present"
          :step="doing"
          :of="steps.steps.length"
          :change="changeOf(doing.row)"
          :progress="run?.progress ?? null"
          :busy="busy"
          @done="done"
          @failed="ask"
        />
        <section v-if="steps.way" class="card line" aria-label="Timeline">
          <CheckLines v-if="!folded" title="Before" :items="items('before')" :ticks="carry.ticks" @tick="bench.tick" />
          <section v-if="ahead.length" aria-label="Steps">
            <h2>{{ folded ? "Then" : "Steps" }}</h2>
            <StepList
              ref="list"
              v-model:chosen="frame"
              :name="folded ? 'Steps to come' : 'Steps'"
              :steps="ahead"
              :plan="steps.plan"
              :progress="progress"
            />
          </section>
          <CheckLines title="Afterwards" :items="items('after')" :ticks="carry.ticks" @tick="bench.tick" />
        </section>
        <template v-if="folded">
          <FoldCard name="Ways" :line="`${chosenWay?.name ?? ''}, ${chosenWay?.time ?? ''}`">
            <WayCards v-bind="ways" @way="setWay" />
          </FoldCard>
          <BenchFacts v-if="carry.questions.length" v-bind="facts" />
          <StartLine :start="steps.plan.start" />
        </template>
      </div>
      <aside v-if="steps.way">
        <FilmView ref="film" v-model:step="frame" :carry="carry" :steps="steps" :job="job" />
        <PracticePanel v-if="!job.closed" ref="practice" :job="job.id" @moved="bench.load()" />
        <ScriptPanel v-if="!job.closed" :job="job.id" :way="chosenWay" :bench="bench" />
        <HandOver :job="job.id" />
      </aside>
    </div>
  </div>
  <WhyFailed v-model:open="asking" :reasons="carry?.reasons ?? []" :refused="refused" :busy="busy" @failed="fail" />
  <Teleport to="footer">
    <span class="keys muted no-print">
      <span v-if="(steps?.ways.length ?? 0) > 1 && !running">
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
.folded h1 {
  font-size: 14px;
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
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
}
aside {
  position: sticky;
  top: 56px;
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
