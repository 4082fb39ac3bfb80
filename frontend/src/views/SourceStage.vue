<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { Job, Survey } from "../api/client";
import type { JobStore } from "../api/jobs";
import DiskIntake from "../intake/DiskIntake.vue";
import ListingPick from "../intake/ListingPick.vue";
import RowFacts from "../intake/RowFacts.vue";
import DiskHead from "../widgets/DiskHead.vue";
import DiskTable from "../widgets/DiskTable.vue";
import FindingList from "../widgets/FindingList.vue";
import { said } from "../widgets/said";

const props = defineProps<{ job: Job; store: JobStore }>();
const replacing = ref(false);
const chosen = ref<number | null>(null);
const diskSize = ref("");
const refused = props.store.refused;
const general = computed(() => {
  const at = refused.value?.problem.at ?? "";
  return refused.value && !["used", "immovable", "lightened"].some((field) => at.startsWith(field));
});
const marked = computed(() => props.job.source_look.some((look) => look.hard_floor_bytes !== null));

watch(
  () => props.job.id,
  () => (chosen.value = null),
);

async function take(source: Survey, words: string[]): Promise<void> {
  if (await props.store.set({ source })) {
    replacing.value = false;
    said.value = words;
  }
}
function setRole(row: number, role: string): void {
  const known = (props.job.options.role ?? {}) as Record<string, string>;
  void props.store.set({ options: { ...props.job.options, role: { ...known, [row]: role } } });
}
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
    <p v-if="general" role="alert"><span class="tag stop">stop</span> {{ refused?.message }}</p>
    <section v-if="!job.source || replacing" class="card">
      <DiskIntake what="source disk" typed :serial="job.source?.disk.serial || undefined" @survey="take" />
    </section>
    <template v-if="job.source">
      <ul v-if="said.length" class="card said" role="status">
        <li v-for="line in said" :key="line">{{ line }}</li>
      </ul>
      <section class="card">
        <DiskHead :survey="job.source" />
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
          <form class="own" @submit.prevent="store.set({ amend: { size: diskSize } })">
            <label for="disk-size">Size of the disk</label>
            <a-input id="disk-size" v-model:value="diskSize" class="fig" placeholder="1000GB or 1953525168s" />
            <a-button html-type="submit" :disabled="!diskSize.trim()">Set</a-button>
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
.said {
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
