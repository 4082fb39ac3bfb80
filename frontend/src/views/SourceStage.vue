<script setup lang="ts">
import { computed, ref } from "vue";
import type { Job, Survey } from "../api/client";
import type { JobStore } from "../api/jobs";
import DiskHead from "../widgets/DiskHead.vue";
import DiskTable from "../widgets/DiskTable.vue";
import FilePick from "../widgets/FilePick.vue";
import { size } from "../widgets/units";

const props = defineProps<{ job: Job; store: JobStore }>();
const replacing = ref(false);
const refused = props.store.refused;

const unclear = computed(() => props.job.roles.filter((role) => role.in_doubt).map((role) => role.number));

async function take(source: Survey): Promise<void> {
  if (await props.store.set({ source })) replacing.value = false;
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
    <p v-if="refused" role="alert"><span class="tag stop">stop</span> {{ refused.message }}</p>
    <section v-if="!job.source || replacing" class="card">
      <FilePick what="source disk" @survey="take" />
    </section>
    <template v-if="job.source">
      <section class="card">
        <DiskHead :survey="job.source" />
        <p v-if="unclear.length" class="ask" role="status">
          <span class="tag mind">mind</span> Rows {{ unclear.join(" and ") }} could each hold the operating system.
          Choose the role “system” for the right one.
        </p>
        <DiskTable :survey="job.source" :roles="job.roles" :gaps="job.source_gaps" @role="setRole" />
        <p v-if="job.source_gaps.length" class="muted">
          {{ size(job.source_gaps.reduce((sum, gap) => sum + gap.bytes, 0)) }} stand unallocated.
        </p>
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
</style>
