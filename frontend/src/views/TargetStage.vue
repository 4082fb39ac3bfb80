<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import type { Job, Survey } from "../api/client";
import { ladderQuery, shelfQuery, type Offer } from "../api/buy";
import type { JobStore } from "../api/jobs";
import GrowthPanel from "../buy/GrowthPanel.vue";
import LadderChart from "../buy/LadderChart.vue";
import DiskIntake from "../intake/DiskIntake.vue";
import DiskHead from "../widgets/DiskHead.vue";
import DiskTable from "../widgets/DiskTable.vue";
import FindingList from "../widgets/FindingList.vue";
import PickOne from "../widgets/PickOne.vue";
import { exact, size } from "../widgets/units";
import { spaced } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: Job; store: JobStore }>();
const { data: shelf } = useQuery(shelfQuery());
const typed = ref("");
const sector = ref<512 | 4096>(512);
const from = ref<"usual" | "own">("usual");
const { data: ladder, error: noLadder } = useQuery(
  computed(() => ({
    ...ladderQuery(props.job, from.value, `${sector.value}`),
    enabled: !!props.job.source,
  })),
);
const refused = props.store.refusedIn("page");
const wrong = props.store.refusedIn("confirm");
const FROM = [
  { value: "usual", label: "Usual sizes" },
  { value: "own", label: "Shelf" },
];
const SECTORS = [
  { value: 512, label: "512-byte sectors" },
  { value: 4096, label: "4096-byte sectors" },
] as const;

watch(
  () => [props.job.target_size, props.job.target_sector] as const,
  ([text, bytes]) => {
    typed.value = text ?? "";
    sector.value = bytes === 4096 ? 4096 : 512;
  },
  { immediate: true },
);

function take(nominal: string): void {
  const target = { nominal, logical_sector_bytes: sector.value };
  if (nominal.trim()) void props.store.change({ kind: "target", target });
}
/** A disk of the shelf by its exact sectors, a usual size by its label. */
function takeOffer(offer: Offer): void {
  const nominal = from.value === "usual" ? offer.name : `${offer.sectors}s`;
  const target = { nominal, logical_sector_bytes: offer.logical_sector_bytes };
  void props.store.change({ kind: "target", target });
}
const chosen = computed(() => {
  const { target_size: text, target_head: head } = props.job;
  const found = ladder.value?.disks.find(
    (offer) =>
      (from.value === "usual" ? offer.name === text : `${offer.sectors}s` === text) ||
      offer.size_bytes === head?.size_bytes,
  );
  return found && head ? found.name : "";
});
/** A disk that is no rung: it is drawn where it ends. */
const own = computed(() => {
  const head = props.job.target_head;
  if (!head || chosen.value) return null;
  return { name: [head.model, head.label].filter(Boolean).join(" "), size_bytes: head.size_bytes };
});
const inPlace = computed(() => props.job.options.in_place === "yes");
const takeSame = () => void props.store.change({ kind: "same-disk" });
const takeSurvey = (target: Survey) => void props.store.change({ kind: "target", target: { ...target } });

/** What is typed to confirm that this disk may be overwritten; the server says whether it is the right one. */
const confirmation = ref("");
watch(
  () => props.job.target_head?.confirmation,
  () => (confirmation.value = ""),
);
const confirm = () => void props.store.change({ kind: "confirm", text: confirmation.value }, "confirm");
/** The confirmation is the end of a serial or identity, or where a disk has neither, its model and size. */
const asked = computed(() => {
  const disk = props.job.target?.disk;
  const wanted = props.job.target_head?.confirmation ?? "";
  const ends = (text: string | null | undefined) =>
    !!text &&
    text
      .replace(/[^a-z0-9]/gi, "")
      .toUpperCase()
      .endsWith(wanted);
  if (ends(disk?.serial)) return `the last ${wanted.length} of its serial`;
  return ends(disk?.table_id) ? `the last ${wanted.length} of its identity` : `“${wanted}”`;
});
</script>

<template>
  <div class="stage-page">
    <div class="head">
      <h1>Target</h1>
      <span class="muted">the disk it must fit</span>
    </div>
    <TroubleLine v-if="refused">{{ refused.message }}</TroubleLine>
    <section v-if="job.source" class="card" aria-label="Which size would do">
      <div class="top">
        <h2>Which size would do</h2>
        <a-segmented v-model:value="from" :options="FROM" size="small" aria-label="Usual sizes or the shelf" />
        <router-link class="aside" :to="{ path: '/shelf', query: { job: job.id } }">
          Shelf with prices<template v-if="shelf?.disks.length"> · {{ shelf.disks.length }} disks</template>
        </router-link>
      </div>
      <TroubleLine v-if="noLadder">{{ noLadder.message }}</TroubleLine>
      <p v-else-if="ladder && !ladder.disks.length">
        The shelf is empty. <router-link to="/shelf">Put disks on it</router-link>, or take a usual size.
      </p>
      <LadderChart
        v-else-if="ladder"
        :ladder="ladder"
        :chosen="chosen"
        :own="own"
        :sector="sector"
        :whole="from === 'own' && ladder.disks.length < 14"
        @choose="takeOffer"
      />
      <p v-else><a-spin /> Working out the sizes</p>
    </section>
    <section class="card choose">
      <div>
        <h2>A size</h2>
        <p class="muted">The disk need not be there yet, nor be bought.</p>
        <div v-if="!job.source" class="sizes" role="group" aria-label="Usual sizes">
          <a-button
            v-for="item in shelf?.sizes ?? []"
            :key="item.label"
            size="small"
            :class="{ chosen: job.target_size === item.label }"
            :aria-pressed="job.target_size === item.label"
            :title="`shows as ${size(item.size_bytes, 'binary')}`"
            @click="take(item.label)"
          >
            {{ spaced(item.label) }}
          </a-button>
        </div>
        <form class="typed" @submit.prevent="take(typed)">
          <label for="size">Size on the label, or sectors</label>
          <a-input id="size" v-model:value="typed" class="fig" placeholder="480GB or 937703088s" :maxlength="60" />
          <PickOne v-model="sector" :choices="SECTORS" label="Logical sector size" />
          <a-button html-type="submit" :disabled="!typed.trim()">Take it</a-button>
        </form>
      </div>
      <div>
        <h2>A disk</h2>
        <p class="muted">With what is on it now.</p>
        <DiskIntake what="target disk" :serial="job.target?.disk.serial || undefined" @survey="takeSurvey" />
        <p v-if="job.source?.disk.partitions?.length" class="same">
          <a-button :class="{ chosen: inPlace }" :aria-pressed="inPlace" @click="takeSame">This same disk</a-button>
          <span class="muted">Its rows are refitted where they stand; nothing is cloned.</span>
        </p>
      </div>
    </section>

    <section v-if="job.target_head" class="card">
      <template v-if="job.target">
        <DiskHead :survey="job.target" />
        <template v-if="job.target_head.holds">
          <p v-if="inPlace" role="status">
            <a-tag class="tag note">note</a-tag> Source and target are one disk: its rows become smaller or larger and
            move where they stand. Have a backup.
          </p>
          <div v-else-if="!job.target_confirmed" class="confirm">
            <p>
              <a-tag class="tag stop">stop</a-tag>
              <b> This disk holds {{ job.target_head.holds }}. All of it will be overwritten.</b>
            </p>
            <p v-if="job.target_finishes">
              <a-tag class="tag note">note</a-tag> All of it are rows of this plan: to finish from there, as
              <em>Carry out</em> offers, overwrites nothing that is right. Any other way asks for what follows.
            </p>
            <form @submit.prevent="confirm">
              <label for="confirmation">Look at the disk in your hand and type {{ asked }}</label>
              <a-input id="confirmation" v-model:value="confirmation" class="fig" :maxlength="400" autocomplete="off" />
              <a-button html-type="submit" :disabled="!confirmation.trim()">It may be overwritten</a-button>
            </form>
            <TroubleLine v-if="wrong">{{ wrong.message }}</TroubleLine>
          </div>
          <p v-else role="status">
            <a-tag class="tag">note</a-tag> Confirmed as {{ job.target_head.confirmation }}: what it holds may be
            overwritten.
          </p>
          <DiskTable :survey="job.target" :gaps="job.target_gaps" />
        </template>
        <p v-else class="muted">There is nothing on it.</p>
      </template>
      <template v-else>
        <h2>{{ job.target_head.label }} on the label</h2>
        <p :title="exact(job.target_head.size_bytes, job.target_sector)">
          Shows as <span class="fig">{{ size(job.target_head.size_bytes, "binary") }}</span>,
          <span class="fig">{{ (job.target_head.size_bytes / job.target_sector).toLocaleString("en") }}</span> sectors
          of {{ job.target_sector }} bytes.
        </p>
      </template>
      <p v-if="job.target_compared && !inPlace">
        <b>{{ job.target_compared }}</b>
      </p>
      <FindingList :findings="job.target_findings" />
    </section>
    <!-- Before what is read by itself, so that it does not move away from under the pointer. -->
    <div v-if="job.target_head" class="next">
      <router-link :to="`/jobs/${job.id}/${job.source ? 'fit' : 'source'}`">
        <a-button type="primary">{{ job.source ? "See how it fits" : "Read the source" }}</a-button>
      </router-link>
    </div>
    <GrowthPanel v-if="job.source" :job="job" :store="store" />
  </div>
</template>

<style scoped>
.card {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
}
.same {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-top: 10px;
}
.top {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
.top .aside {
  margin-left: auto;
}
.choose {
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 28px;
}
.choose > div {
  display: grid;
  gap: 10px;
  align-content: start;
}
.confirm,
.confirm form {
  display: grid;
  gap: 8px;
}
.confirm form {
  grid-template-columns: max-content 110px max-content;
  align-items: center;
}
.confirm [role="alert"] {
  color: var(--action);
}
.sizes {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.sizes .chosen,
.same .chosen {
  border-color: var(--ink);
  border-width: 2px;
  font-weight: 600;
}
.typed {
  display: grid;
  grid-template-columns: 1fr max-content max-content;
  gap: 6px;
}
.typed label {
  grid-column: 1 / -1;
}
@media (max-width: 900px) {
  .choose {
    grid-template-columns: minmax(0, 1fr);
  }
}
@media (max-width: 520px) {
  .typed,
  .confirm form {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
