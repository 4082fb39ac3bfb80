<script setup lang="ts">
/** One fleet: the histogram is the picture, the table below it the work. */
import type { CheckboxChangeEvent } from "ant-design-vue/es/checkbox/interface";
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { shelfQuery, useFleet, type Filter, type FitChoice, type SortKey } from "../api/buy";
import { sentence, type FitKey, type Problem, type Verdict } from "../api/client";
import { listed, parts, walked, type Dropped } from "../fleet/files";
import { sorted } from "../fleet/paged";
import FleetTargets from "../fleet/FleetTargets.vue";
import MachineTable from "../fleet/MachineTable.vue";
import MixPanel from "../fleet/MixPanel.vue";
import NeedHistogram from "../fleet/NeedHistogram.vue";
import CollectPanel from "../intake/CollectPanel.vue";
import AlsoOpen from "../widgets/AlsoOpen.vue";
import LineMenu from "../widgets/LineMenu.vue";
import FilePick from "../widgets/FilePick.vue";
import DropVeil from "../widgets/DropVeil.vue";
import PickOne from "../widgets/PickOne.vue";
import TopBar from "../widgets/TopBar.vue";
import { FITS, FIT_NAMES } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const emit = defineEmits<{ keys: [] }>();
const route = useRoute();
const router = useRouter();
const id = computed(() => Number(route.params.id));
const filter = ref<Filter>({ target: 0, fit: "best", verdict: null, text: "", sort: "name", down: false, start: 0 });
const store = useFleet(id, filter);
const { fleet, machines, trouble, refused } = store;
const { data: shelf } = useQuery(shelfQuery());
const chosen = ref(new Set<number>());
const said = ref<string[]>([]);
const sending = ref<{ sent: number; of: number } | null>(null);
const name = ref("");
const made = ref<number[]>([]);
const collecting = ref(false);

watch(fleet, (now) => {
  document.title = `${now?.name ?? "Fleet"} · Ylemorph`;
  if (now && filter.value.target >= now.targets.length) change({ target: 0 });
});
watch(
  () => fleet.value?.name,
  (text, before) => {
    if (name.value === (before ?? "")) name.value = text ?? ""; // what is being typed stays
  },
  { immediate: true },
);
function change(some: Partial<Filter>): void {
  filter.value = { ...filter.value, start: 0, ...some };
}
const sort = (key: SortKey) => change(sorted(filter.value, key));
const fitChoices = computed(() => [
  { value: "best" as FitChoice, label: "the fit that serves each best" },
  ...(fleet.value?.fits ?? []).map((key) => ({ value: key as FitChoice, label: FIT_NAMES[key] })),
]);

const wishes = () => ({
  name: fleet.value?.name ?? "Fleet",
  targets: fleet.value?.targets.map((target) => target.name) ?? [],
  fits: fleet.value?.fits ?? ["proportional" as const],
  options: fleet.value?.options ?? {},
});
const setTargets = (targets: string[]) => void store.wish({ ...wishes(), targets });
function setFit(key: FitKey, on: boolean): void {
  const fits = FITS.filter((fit) => (fit === key ? on : fleet.value?.fits.includes(fit)));
  if (!fits.length) return;
  if (filter.value.fit !== "best" && !fits.includes(filter.value.fit)) change({ fit: "best" });
  void store.wish({ ...wishes(), fits });
}
const rename = () =>
  name.value.trim() && name.value !== fleet.value?.name && store.wish({ ...wishes(), name: name.value.trim() });

async function send(dropped: Dropped[]): Promise<void> {
  if (!dropped.length) return;
  said.value = [];
  sending.value = { sent: 0, of: dropped.length };
  for await (const part of parts(dropped, (text) => said.value.push(text))) {
    if (!(await store.add(part))) break;
    sending.value = { sent: sending.value.sent + part.length, of: dropped.length };
  }
  sending.value = null;
}
const picked = (files: File[]) => void send(listed(files));
const dropped = (what: DataTransfer) => void walked(what).then(send);

function choose(ids: number[], on: boolean): void {
  const next = new Set(chosen.value);
  for (const one of ids) {
    if (on) next.add(one);
    else next.delete(one);
  }
  chosen.value = next;
}
async function makeJobs(): Promise<void> {
  try {
    made.value = await store.makeJobs([...chosen.value], filter.value.target, filter.value.fit);
    chosen.value = new Set();
    if (made.value.length === 1) await router.push(`/jobs/${made.value[0]}/fit`);
  } catch (failure) {
    refused.value = (failure as Error).message;
  }
}
async function takeOut(): Promise<void> {
  if (await store.remove([...chosen.value])) chosen.value = new Set();
}
/** A sheet of ten thousand machines takes half a minute to write; what is going on is seen meanwhile. */
const writing = ref("");
const EXPORTS = [
  { key: "csv", text: "CSV: a line for each machine on each model under each fit" },
  { key: "xlsx", text: "XLSX: the same lines as a sheet" },
  { key: "json", text: "JSON: the same, with the counts and what to buy" },
] as const;
async function takeOutAs(form: (typeof EXPORTS)[number]["key"]): Promise<void> {
  if (writing.value) return;
  writing.value = form;
  refused.value = "";
  try {
    const answer = await fetch(`/api/fleets/${id.value}/export/${form}`);
    if (!answer.ok) throw new Error(sentence((await answer.json()) as Problem));
    const link = document.createElement("a");
    link.href = URL.createObjectURL(await answer.blob());
    link.download = `fleet-${id.value}.${form}`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
  } catch (failure) {
    refused.value = (failure as Error).message;
  } finally {
    writing.value = "";
  }
}
const share = computed(() => (fleet.value?.machines ? (fleet.value.done * 100) / fleet.value.machines : 0));
const setVerdict = (target: number, verdict: Verdict) => change({ target, verdict });
</script>

<template>
  <TopBar @keys="emit('keys')" />
  <main class="stage-page">
    <TroubleLine v-if="trouble && !fleet">
      {{ trouble }} <router-link to="/fleets">All fleets</router-link>
      <a-button size="small" @click="store.load()">Try again</a-button>
    </TroubleLine>
    <div v-else-if="!fleet" class="card"><a-spin /> Reading the fleet</div>
    <template v-else>
      <div class="head">
        <h1 class="sr-only">{{ fleet.name }}</h1>
        <a-input
          v-model:value="name"
          class="name"
          aria-label="Name of the fleet"
          :maxlength="200"
          @blur="rename"
          @press-enter="rename"
        />
        <span class="muted">
          {{ fleet.machines - fleet.repeated }} machines<template v-if="fleet.troubles.length">
            ·
            <a href="#not-counted" class="plainly"
              >{{ fleet.repeated }} repeated, {{ fleet.unread }} not read</a
            ></template
          >
        </span>
        <span class="gap" />
        <AlsoOpen />
        <FilePick text="Add files" multiple @picked="picked" />
        <FilePick text="Add a folder" directory @picked="picked" />
        <a-button size="small" :aria-expanded="collecting" @click="collecting = !collecting">
          From a customer's machine
        </a-button>
        <LineMenu
          class="out"
          label="Take out the fleet as a file"
          text="Take out"
          :items="EXPORTS"
          @choose="takeOutAs"
        />
      </div>
      <section v-if="collecting" class="card"><CollectPanel :goal="{ fleet: id }" /></section>
      <TroubleLine v-if="refused">{{ refused }}</TroubleLine>
      <TroubleLine v-if="fleet.trouble">{{ fleet.trouble }}</TroubleLine>
      <TroubleLine v-for="text in said" :key="text" level="mind">{{ text }}</TroubleLine>
      <p v-if="writing" role="status" class="card"><a-spin size="small" /> Writing {{ writing.toUpperCase() }}</p>
      <p v-if="sending" role="status" class="card">Sending {{ sending.sent }} of {{ sending.of }} files</p>
      <div v-if="fleet.running || fleet.stopped" class="card going" role="status">
        <progress :value="share" max="100" aria-label="Worked out" />
        <span class="fig">{{ fleet.done }} of {{ fleet.machines }}</span>
        <span v-if="fleet.left_seconds !== null" class="muted">about {{ fleet.left_seconds }} s left</span>
        <a-button size="small" @click="store.stop(!fleet.stopped)">{{ fleet.stopped ? "Go on" : "Stop" }}</a-button>
      </div>

      <section v-if="!fleet.machines && !fleet.unread" class="card">
        <h2>No machine yet</h2>
        <p>
          Drop surveys anywhere on this page: files in any form that a job takes, a folder, a zip archive, or a table
          with a line for each partition and the columns <span class="fig">machine, size, used</span>.
        </p>
      </section>
      <div v-if="fleet.histogram.length" class="top">
        <section class="card">
          <NeedHistogram :fleet="fleet" :target="filter.target" @choose="(target) => change({ target })" />
        </section>
        <MixPanel :fleet="fleet" />
      </div>
      <FleetTargets
        :fleet="fleet"
        :shelf="shelf"
        :target="filter.target"
        :verdict="filter.verdict"
        @choose="setVerdict"
        @targets="setTargets"
      />
      <section v-if="fleet.machines" class="card bar">
        <a-input
          :value="filter.text"
          class="search"
          placeholder="Search machine or serial"
          allow-clear
          aria-label="Search machines"
          @update:value="(text: string) => change({ text })"
        />
        <label
          >Show
          <PickOne
            :model-value="filter.fit"
            :choices="fitChoices"
            label="Fit that is shown"
            @update:model-value="(fit) => change({ fit })"
        /></label>
        <fieldset>
          <legend class="sr-only">Fits that are tried</legend>
          <a-checkbox
            v-for="key in FITS"
            :key="key"
            :checked="fleet.fits.includes(key)"
            @change="(event: CheckboxChangeEvent) => setFit(key, event.target.checked)"
          >
            {{ FIT_NAMES[key] }}
          </a-checkbox>
        </fieldset>
      </section>
      <section v-if="chosen.size || made.length" class="card bar" role="status">
        <template v-if="chosen.size">
          <b>{{ chosen.size }} chosen</b>
          <a-button type="primary" size="small" @click="makeJobs">
            Make {{ chosen.size === 1 ? "a job" : `${chosen.size} jobs` }} onto {{ fleet.targets[filter.target]?.name }}
          </a-button>
          <a-button size="small" @click="takeOut">Take out of the fleet</a-button>
        </template>
        <span v-else>{{ made.length }} jobs made. <router-link to="/">Go to the jobs</router-link></span>
      </section>
      <section v-if="machines && fleet.targets.length" class="card list">
        <p v-if="!machines.count && fleet.done">
          No machine matches. <a @click="change({ text: '', verdict: null })">Show all</a>
        </p>
        <MachineTable
          v-else
          :fleet="fleet"
          :machines="machines.machines"
          :count="machines.count"
          :filter="filter"
          :chosen="chosen"
          @sort="sort"
          @page="(start) => change({ start })"
          @choose="choose"
        />
      </section>
      <section v-if="fleet.troubles.length" id="not-counted" class="card" aria-label="Not counted">
        <h2>Not counted</h2>
        <ul class="lines">
          <li v-for="line in fleet.troubles.slice(0, 60)" :key="line.id">
            <div>
              <b>{{ line.name }}</b>
              <p class="muted">
                {{ line.problem || (line.earlier ? `an earlier survey of ${line.of}` : `the same disk as ${line.of}`) }}
              </p>
            </div>
            <a-button size="small" type="text" :aria-label="`Forget ${line.name}`" @click="store.remove([line.id])">
              Forget
            </a-button>
          </li>
        </ul>
      </section>
    </template>
  </main>
  <DropVeil words="Drop surveys to add them to the fleet" @drop="dropped" />
</template>

<style scoped>
main {
  padding: 14px 20px 40px;
}
.head {
  align-items: center !important;
  flex-wrap: wrap;
}
.name {
  width: 260px;
  font-size: 18px;
  font-weight: 600;
}
.gap {
  flex: 1;
}
.plainly {
  color: inherit;
  text-decoration: underline;
}
.out {
  border: 1px solid var(--sand);
  border-radius: 6px;
}
.going,
.bar {
  display: flex;
  gap: 14px;
  align-items: center;
  flex-wrap: wrap;
  padding: 8px 16px;
}
progress {
  flex: 1;
  accent-color: var(--action);
}
.search {
  max-width: 240px;
}
fieldset {
  display: flex;
  gap: 12px;
  border: 0;
  margin: 0;
  padding: 0;
  flex-wrap: wrap;
}
.list {
  padding: 6px 16px;
}
.top {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 12px;
}
@media (max-width: 900px) {
  .top {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
