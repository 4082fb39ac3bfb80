<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRoute } from "vue-router";
import type { Job, Schemas, Survey } from "../api/client";
import type { JobStore } from "../api/jobs";
import ArrivalList from "../intake/ArrivalList.vue";
import DiskIntake from "../intake/DiskIntake.vue";
import ListingPick from "../intake/ListingPick.vue";
import RowFacts from "../intake/RowFacts.vue";
import DiskHead from "../widgets/DiskHead.vue";
import DiskTable from "../widgets/DiskTable.vue";
import FindingList from "../widgets/FindingList.vue";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: Job; store: JobStore }>();
const route = useRoute();
const replacing = ref(false);
const chosen = ref<number | null>(null);
const diskSize = ref("");
const refused = props.store.refusedIn("page");
const sizeRefused = props.store.refusedIn("disk");
const words = props.store.words;
const marked = computed(() => props.job.source_look.some((look) => look.hard_floor_bytes !== null));

watch(
  () => props.job.id,
  () => (chosen.value = null),
);

async function take(source: Survey, lines: string[]): Promise<void> {
  if (await props.store.change({ kind: "source", survey: source })) {
    replacing.value = false;
    props.store.announce(lines);
  }
}
const setRole = (row: number, role: Schemas["RoleModel"]["role"]) =>
  void props.store.change({ kind: "role", row, role });
const setSize = () => void props.store.change({ kind: "disk-size", size: diskSize.value }, "disk");
</script>

<template>
  <div class="stage-page">
    <div class="head">
      <h1>Source</h1>
      <span class="muted">the disk that is to be cloned</span>
      <a-button v-if="job.source" @click="replacing = !replacing">
        {{ replacing ? "Keep this one" : "Take another survey" }}
      </a-button>
    </div>
    <TroubleLine v-if="refused">{{ refused.message }}</TroubleLine>
    <ArrivalList :job="job.id" @survey="take" />
    <section v-if="!job.source || replacing" class="card">
      <DiskIntake
        what="source disk"
        typed
        :serial="job.source?.disk.serial || undefined"
        :job="job.id"
        :sent="!!route.query.sent"
        @survey="take"
      />
    </section>
    <template v-if="job.source">
      <ul v-if="words.length" class="card words" role="status">
        <li v-for="line in words" :key="line">{{ line }}</li>
      </ul>
      <section class="card">
        <DiskHead :survey="job.source" />
        <p class="muted">{{ job.source_start }}</p>
        <FindingList :findings="job.source_findings" @choose="(row) => (chosen = row)" />
      </section>
      <section class="card">
        <DiskTable
          :survey="job.source"
          :roles="job.roles"
          :gaps="job.source_gaps"
          :looks="job.source_look"
          :chosen="chosen"
          @role="setRole"
          @choose="(row) => (chosen = chosen === row ? null : row)"
        >
          <template #row="{ partition }">
            <RowFacts v-if="partition.number === chosen" :partition="partition" :store="store" />
          </template>
        </DiskTable>
        <p v-if="marked" class="key muted">
          <span class="mark hard"></span> hard floor <span class="mark comfort"></span> comfort floor
          <span class="mark last"></span> last used byte <span class="mark fixed"></span> what cannot be moved ends
        </p>
        <details>
          <summary>Add what is missing: a second listing, the disk's own size</summary>
          <form class="own" @submit.prevent="setSize">
            <label for="disk-size">Size of the disk</label>
            <a-input id="disk-size" v-model:value="diskSize" class="fig" placeholder="1000GB or 1953525168s" />
            <a-button html-type="submit" :disabled="!diskSize.trim()">Set</a-button>
            <TroubleLine v-if="sizeRefused">{{ sizeRefused.message }}</TroubleLine>
          </form>
          <ListingPick what="same disk" :onto="job.source" @survey="take" />
        </details>
      </section>
      <div class="next">
        <router-link :to="`/jobs/${job.id}/${job.target_head ? 'fit' : 'target'}`">
          <a-button type="primary">{{ job.target_head ? "See how it fits" : "Choose the target" }}</a-button>
        </router-link>
      </div>
    </template>
  </div>
</template>

<style scoped>
.head .ant-btn {
  margin-left: auto;
}
.card {
  display: grid;
  gap: 12px;
}
.words {
  margin: 0;
  padding-left: 32px;
  gap: 4px;
}
summary {
  cursor: pointer;
  color: var(--muted);
}
.own {
  display: grid;
  grid-template-columns: max-content 260px max-content;
  gap: 8px;
  align-items: center;
  margin: 10px 0;
}
.key {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  font-size: 12px;
}
.mark {
  height: 14px;
  border-left: 2px solid var(--ink);
  margin-left: 10px;
}
.mark:first-child {
  margin-left: 0;
}
.mark.comfort {
  border-left-style: dotted;
}
.mark.last {
  border-color: var(--action);
}
.mark.fixed {
  border-left: 2px dashed var(--action);
}
</style>
