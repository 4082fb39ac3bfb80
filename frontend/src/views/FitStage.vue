<script setup lang="ts">
/** The morph with everything that belongs to it: fits, need, the chosen row, findings. */
import { useEventListener } from "@vueuse/core";
import { computed, defineAsyncComponent, nextTick, ref, watch } from "vue";
import type { Action, Change, Finding, FitKey, Job, PlanRow, Remedy } from "../api/client";
import { usePreview, type Form, type JobStore } from "../api/jobs";
import FindingsPanel from "../morph/FindingsPanel.vue";
import FitCards from "../morph/FitCards.vue";
import GravestFinding from "../morph/GravestFinding.vue";
import MarginsPanel from "../morph/MarginsPanel.vue";
import MorphTable from "../morph/MorphTable.vue";
import MorphView from "../morph/MorphView.vue";
import { settled } from "../morph/settled";
import NeedGauge from "../morph/NeedGauge.vue";
import RowPanel from "../morph/RowPanel.vue";
import StartLine from "../widgets/StartLine.vue";
import { isTyping } from "../widgets/keys";
import { FITS, verdictName } from "../widgets/words";
import { size } from "../widgets/units";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: Job; store: JobStore }>();
const chosen = ref<number | null>(null);
const panel = ref<InstanceType<typeof RowPanel> | null>(null);
const refused = props.store.refusedIn("row");
const pageRefused = props.store.refusedIn("page");
const marginRefused = props.store.refusedIn("margins");
const comparing = ref(false);
const opened = ref(0); // how often plans were compared; each time it begins with two that differ now
watch(comparing, (now) => now && (opened.value += 1));
const margins = ref<InstanceType<typeof MarginsPanel> | null>(null);
const ComparePlans = defineAsyncComponent(() => import("../morph/ComparePlans.vue"));

const preview = usePreview(computed(() => props.job.id));
/** What a remedy would make of it, while it is pointed at or focused. */
const trial = usePreview(computed(() => props.job.id));
const tried = ref("");
function tryOut(remedy: Remedy | null): void {
  if (remedy?.change) {
    tried.value = remedy.text;
    void trial.ask(remedy.change);
  } else {
    tried.value = "";
    trial.end();
  }
}
/** While an edge is drawn, what the other fits would give and how long it takes stay as they were. */
const morph = computed(() => {
  const drawn = preview.shown.value;
  const { cards = [], outlook = "" } = props.job.morph ?? {};
  return drawn ? { plan: drawn.plan, cards, outlook } : props.job.morph;
});
const plan = computed(() => morph.value?.plan ?? null);
const beside = settled(morph, () => !!preview.shown.value);
const row = computed(() => plan.value?.rows.find((item) => item.number === chosen.value) ?? null);
const partition = computed(() => props.job.source?.disk.partitions?.find((p) => p.number === chosen.value) ?? null);

watch(
  plan,
  (now) => {
    if (now && !now.rows.some((item) => item.number === chosen.value)) {
      chosen.value = (now.rows.find((item) => item.elastic) ?? now.rows[0])?.number ?? null;
    }
  },
  { immediate: true },
);
watch(chosen, () => props.store.forgive());

const verdict = computed(() => {
  if (!plan.value) return "";
  const word = verdictName(plan.value.verdict);
  if (plan.value.verdict === "does-not-fit") return `${word} · ${size(plan.value.shortfall_bytes)} short`;
  if (plan.value.verdict === "tight" && plan.value.headroom_kept < 1) {
    return `${word} · headroom cut to ${plan.value.kept_percent} %`;
  }
  return word;
});

function change(body: Change | (() => Change | null), form: Form = "row"): Promise<boolean> {
  props.store.forgive();
  return props.store.change(body, form);
}
const setMargin = (body: Change) => change(body, "margins");
const drag = (row: number, bytes: number, alone: boolean) =>
  void preview.ask({ kind: "drag", row, size: bytes, alone });
async function drop(row: number, bytes: number, alone: boolean): Promise<void> {
  await change({ kind: "drag", row, size: bytes, alone });
  preview.end();
}
const setFit = (fit: FitKey) => void change({ kind: "fit", fit }, "page");

const mend = (remedy: Remedy) => {
  tryOut(null);
  if (remedy.change) void change(remedy.change, "page");
};

/** The finding in its list, and the row that it speaks of. */
function showFinding(finding: Finding): void {
  if (finding.row !== null) chosen.value = finding.row;
  document.getElementById("findings")?.scrollIntoView({ block: "nearest" });
}
function choose(step: number): void {
  const rows = plan.value?.rows ?? [];
  const index = rows.findIndex((item) => item.number === chosen.value);
  chosen.value = rows[Math.min(rows.length - 1, Math.max(0, index + step))]?.number ?? null;
}

function nudge(event: KeyboardEvent, sign: "+" | "-"): void {
  if (chosen.value === null) return;
  const step = event.shiftKey ? "100MiB" : event.altKey ? "10GiB" : "1GiB";
  void change({ kind: "pin", row: chosen.value, size: `${sign}${step}` });
}

/** Do one of two things that exclude each other, whichever the row allows now. */
function either(first: Action, one: (row: PlanRow) => Change, second: Action, other: (row: PlanRow) => Change): void {
  void change(() => {
    const own = row.value;
    return own && (own.actions[first] && !own.actions[second] ? other : one)(own);
  });
}
const togglePin = () =>
  either(
    "unpin",
    (own) => ({ kind: "unpin", row: own.number }),
    "pin",
    (own) => ({ kind: "pin", row: own.number, size: `${own.size_bytes}B` }),
  );
const toggleLeave = () =>
  either(
    "leave",
    (own) => ({ kind: "leave", rows: [own.number] }),
    "carry",
    (own) => ({ kind: "carry", row: own.number }),
  );
const toggleHold = () =>
  either(
    "hold",
    (own) => ({ kind: "hold", row: own.number }),
    "release",
    (own) => ({ kind: "release", row: own.number }),
  );
const move = (places: number) => row.value && void change({ kind: "move", row: row.value.number, places });
const restHere = () => row.value && void change({ kind: "grow", row: row.value.number });

const ACTIONS: Record<string, () => unknown> = {
  p: togglePin,
  l: toggleLeave,
  h: toggleHold,
  r: restHere,
  c: () => (comparing.value = true),
  e: () => nextTick(() => panel.value?.focusSize()),
  arrowup: () => choose(-1),
  arrowdown: () => choose(1),
};

useEventListener(window, "keydown", (event: KeyboardEvent) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey || !plan.value) return;
  const key = event.key.toLowerCase();
  const fit = FITS[Number(key) - 1];
  if (key === "arrowleft" || key === "arrowright") nudge(event, key === "arrowleft" ? "-" : "+");
  else if (event.shiftKey && (key === "arrowup" || key === "arrowdown")) move(key === "arrowup" ? -1 : 1);
  else if (event.altKey || event.shiftKey) return;
  else if (fit) setFit(fit);
  else if (ACTIONS[key]) ACTIONS[key]();
  else return;
  event.preventDefault();
});
</script>

<template>
  <section v-if="!job.source || !job.target_head" class="card missing">
    <h1>Fit</h1>
    <p>
      To work out the fit, the {{ !job.source ? "source" : "target" }} must be known.
      <router-link :to="`/jobs/${job.id}/${!job.source ? 'source' : 'target'}`">
        {{ !job.source ? "Read the source" : "Choose the target" }}
      </router-link>
    </p>
  </section>
  <section v-else-if="!morph || !plan" class="card missing" role="alert">
    <h1>No plan</h1>
    <p>{{ job.trouble?.detail }}. {{ job.trouble?.mend }}</p>
    <p><a-button @click="store.change({ kind: 'reset' })">Take back what was set by hand</a-button></p>
  </section>
  <div v-else class="fit">
    <div class="verdict">
      <h1>{{ verdict }}</h1>
      <p class="sr-only" role="status">{{ verdict }}</p>
      <p
        v-if="morph.outlook"
        class="muted outlook"
        title="How long it will take, as a range; the ways are on Carry out"
      >
        {{ morph.outlook }}
      </p>
      <NeedGauge :plan="beside?.plan ?? plan" :source-bytes="job.source_head?.size_bytes ?? 0" />
      <a-button size="small" class="no-print" @click="comparing = true">Compare</a-button>
    </div>
    <div class="said">
      <GravestFinding :plan="beside?.plan ?? plan" :job="job" @choose="showFinding" />
      <StartLine :start="(beside?.plan ?? plan).start" />
    </div>
    <TroubleLine v-if="pageRefused">{{ pageRefused.message }}</TroubleLine>
    <FitCards :cards="(beside ?? morph).cards" :fit="plan.fit" @fit="setFit" />
    <div class="panes">
      <section class="card morph" aria-label="Morph">
        <p v-if="trial.shown.value && tried" class="trial" role="status">
          {{ tried }} <b>{{ verdictName(trial.shown.value.plan.verdict) }}</b>
        </p>
        <MorphView
          v-model:chosen="chosen"
          :plan="trial.shown.value?.plan ?? plan"
          :job="job"
          :stopped="preview.shown.value?.stopped"
          :late="preview.late.value"
          @drag="drag"
          @drop="drop"
          @cancel="preview.end"
          @move="(number, places) => change({ kind: 'move', row: number, places })"
        />
        <MorphTable
          :plan="beside?.plan ?? plan"
          :chosen="chosen"
          :change="change"
          @choose="(number) => (chosen = number)"
        />
      </section>
      <aside>
        <RowPanel
          v-if="row"
          ref="panel"
          :key="row.number"
          :row="row"
          :partition="partition"
          :plan="plan"
          :refused="refused"
          :headroom="plan.headroom_percent"
          :lightened="job.options.lighten?.[String(row.number)] ?? 0"
          :cleared="(job.options.cleared ?? []).includes(row.number)"
          :change="change"
          @pin="togglePin"
          @leave="toggleLeave"
          @hold="toggleHold"
          @rest="restHere"
          @move="move"
          @headroom="margins?.focusHeadroom()"
        />
        <FindingsPanel
          :plan="beside?.plan ?? plan"
          @mend="mend"
          @try-out="tryOut"
          @choose="(number) => (chosen = number)"
        />
        <MarginsPanel
          ref="margins"
          :plan="beside?.plan ?? plan"
          :options="job.options"
          :change="setMargin"
          :refused="marginRefused"
        />
      </aside>
    </div>
  </div>
  <ComparePlans v-if="opened" :key="opened" v-model:open="comparing" :job="job" :store="store" />
  <Teleport to="footer">
    <span v-if="plan" class="keys muted no-print">
      <kbd>↑</kbd> <kbd>↓</kbd> row <kbd>←</kbd> <kbd>→</kbd> 1 GiB <kbd>P</kbd> pin <kbd>L</kbd> leave behind
      <kbd>H</kbd> hold <kbd>R</kbd> rest here <kbd>C</kbd> compare <kbd>1</kbd>–<kbd>5</kbd> fit <kbd>?</kbd> all keys
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
.fit {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 9px;
}
.verdict {
  display: flex;
  align-items: center;
  gap: 24px;
  min-height: 50px;
}
.said {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 440px), 1fr));
  gap: 4px 28px;
}
.verdict h1 {
  white-space: nowrap;
}
.trial {
  position: absolute;
  z-index: 2;
  bottom: 10px;
  right: 12px;
  max-width: 360px;
  padding: 3px 10px;
  background: var(--chosen);
  border-radius: 6px;
  font-size: 12px;
}
.outlook {
  max-width: 190px;
  font-size: 12px;
  line-height: 1.3;
}
.panes {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 292px;
  gap: 12px;
  align-items: start;
}
.morph {
  position: relative;
  padding: 14px 10px;
  overflow-x: auto;
}
aside {
  display: grid;
  gap: 10px;
}
/* Where there is room for both, the panes scroll by themselves and the page stands still. */
@media (min-width: 981px) and (min-height: 640px) {
  aside {
    max-height: calc(100vh - 252px);
    overflow-y: auto;
    padding-right: 2px;
  }
}
.keys {
  order: -1;
  margin-right: auto;
}
@media (max-width: 980px) {
  .panes {
    grid-template-columns: 1fr;
  }
  .verdict {
    display: block;
  }
  .keys {
    display: none;
  }
}
</style>
