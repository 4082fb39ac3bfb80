<script setup lang="ts">
/** A job: its head, its stages, and the one stage that is open. */
import { useEventListener } from "@vueuse/core";
import { computed, defineAsyncComponent, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { useJob } from "../api/jobs";
import { STAGE_KEYS, STAGES, type Stage } from "../stages";
import AlsoOpen from "../widgets/AlsoOpen.vue";
import HistoryList from "../widgets/HistoryList.vue";
import TopBar from "../widgets/TopBar.vue";
import { isTyping } from "../widgets/keys";
import { moment } from "../widgets/units";

const emit = defineEmits<{ keys: [] }>();
const route = useRoute();
const id = computed(() => Number(route.params.id));
const stage = computed(() => route.params.stage as Stage);
const store = useJob(id);
const { job, trouble, meanwhile, saving } = store;
const naming = ref(false);
const listing = ref(false);

const STAGE_VIEWS = Object.fromEntries(STAGE_KEYS.map((key) => [key, defineAsyncComponent(STAGES[key].view)]));

watch(
  [job, stage],
  () => {
    document.title = `${job.value?.name || "Job"} · ${stage.value} · Ylemorph`;
  },
  { immediate: true },
);
useEventListener(window, "keydown", (event: KeyboardEvent) => {
  if (isTyping(event) || event.key.toLowerCase() !== "z" || event.altKey) return;
  event.preventDefault();
  void (event.shiftKey ? store.redo() : store.undo());
});

const fields = ref({ name: "", code: "", machine: "", note: "" });
function rename(): void {
  if (!job.value) return;
  const { name, code, machine, note } = job.value;
  fields.value = { name, code, machine, note };
  naming.value = true;
}
async function keepNames(): Promise<void> {
  if (await store.change({ kind: "describe", ...fields.value }, "names")) naming.value = false;
}
</script>

<template>
  <TopBar @keys="emit('keys')">
    <button v-if="job" class="who" type="button" title="Change name, number, machine and note" @click="rename">
      <b>{{ job.name || "Unnamed job" }}</b>
      <span class="muted"> · {{ [job.code, job.machine].filter(Boolean).join(" · ") }}</span>
    </button>
    <template #stages>
      <router-link
        v-for="key in STAGE_KEYS"
        :key="key"
        :to="`/jobs/${id}/${key}`"
        class="step"
        :aria-current="stage === key ? 'step' : undefined"
      >
        <span v-if="job && STAGES[key].done(job)" class="grows" aria-label="done">✓</span> {{ STAGES[key].name }}
      </router-link>
    </template>
    <template #actions>
      <a-button size="small" :disabled="!job?.can_undo" aria-label="Undo" title="Undo (Z)" @click="store.undo">
        ↶
      </a-button>
      <a-button size="small" :disabled="!job?.can_redo" aria-label="Redo" title="Redo (Shift Z)" @click="store.redo">
        ↷
      </a-button>
      <a-button size="small" :disabled="!job" @click="listing = true">Changes</a-button>
    </template>
  </TopBar>

  <main v-if="!job" class="wait">
    <div v-if="trouble" class="card" role="alert">
      <p>{{ trouble }}</p>
      <p v-if="store.broken.value">
        <a :href="`/api/jobs/${id}/surveys/source`" download>Take its source out as a file</a> ·
        <a :href="`/api/jobs/${id}/surveys/target`" download>its target</a> ·
        <a-button size="small" @click="listing = true">Go back to an earlier change</a-button>
      </p>
      <p>
        <router-link to="/">Back to Jobs</router-link> <a-button size="small" @click="store.load()">Try again</a-button>
      </p>
    </div>
    <a-spin v-else tip="Reading the job" />
  </main>
  <main v-else>
    <p v-if="trouble" class="stale" role="alert">
      <a-tag class="tag mind">mind</a-tag> {{ trouble }} What you see is the last state that was read.
    </p>
    <p v-if="job.closed" class="stale">
      <a-tag class="tag">closed</a-tag> This job is closed and can only be read.
      <router-link v-if="stage !== 'check'" :to="`/jobs/${id}/check`">Open it again on Check back</router-link>
    </p>
    <component :is="STAGE_VIEWS[stage]" :store="store" :job="job" />
  </main>
  <footer v-if="job">
    <AlsoOpen class="others" />
    <span class="saved muted" role="status">
      {{ saving ? "Saving" : `Saved ${moment(job.changed_at)} · change ${job.revision}` }}
    </span>
  </footer>

  <HistoryList v-model:open="listing" :store="store" />
  <a-modal v-model:open="naming" title="About this job" ok-text="Keep" cancel-text="Leave as it was" @ok="keepNames">
    <div class="fields">
      <label>Name <a-input v-model:value="fields.name" :maxlength="200" /></label>
      <label>Number <a-input v-model:value="fields.code" :maxlength="200" /></label>
      <label>Customer's machine <a-input v-model:value="fields.machine" :maxlength="200" /></label>
      <label>Note <a-textarea v-model:value="fields.note" :rows="3" :maxlength="10000" /></label>
    </div>
  </a-modal>
  <a-modal :open="!!meanwhile" title="Changed meanwhile" :closable="false" :mask-closable="false" :keyboard="false">
    <p v-if="meanwhile">{{ meanwhile.sentence }}.</p>
    <p>Your change is not lost: make it on top of that state, or keep the state as it is.</p>
    <template #footer>
      <a-button @click="store.settle(false)">Keep theirs</a-button>
      <a-button type="primary" @click="store.settle(true)">Make mine on top</a-button>
    </template>
  </a-modal>
</template>

<style scoped>
.who {
  font: inherit;
  font-size: 14px;
  color: var(--ink);
  background: none;
  border: 0;
  padding: 6px 4px;
  cursor: pointer;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
}
.step {
  display: flex;
  align-items: center;
  gap: 5px;
  padding: 2px 11px 0;
  color: var(--muted);
  border-bottom: 2px solid transparent;
  white-space: nowrap;
}
.step[aria-current] {
  color: var(--ink);
  font-weight: 600;
  border-bottom-color: var(--action);
}
main {
  max-width: 1920px;
  margin: 0 auto;
  padding: 12px 20px 60px;
}
.wait {
  padding: 12vh 20px;
  text-align: center;
}
.wait .card {
  display: grid;
  gap: 10px;
  max-width: 620px;
  margin: 0 auto;
}
.stale {
  margin-bottom: 10px;
}
.fields {
  display: grid;
  gap: 10px;
}
footer {
  position: fixed;
  inset: auto 0 0 0;
  display: flex;
  justify-content: flex-end;
  padding: 3px 20px;
  background: var(--card);
  border-top: 1px solid var(--line);
  font-size: 12px;
}
.others {
  margin-right: auto;
}
</style>
