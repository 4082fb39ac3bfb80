<script setup lang="ts">
/** All changes of a job, the newest first; any of them can be gone back to. */
import { ref, watch } from "vue";
import type { Schemas } from "../api/client";
import type { JobStore } from "../api/jobs";
import { moment } from "./units";
import TroubleLine from "./TroubleLine.vue";

const props = defineProps<{ store: JobStore }>();
const open = defineModel<boolean>("open", { required: true });
const entries = ref<Schemas["RevisionModel"][] | null>(null);
const trouble = ref("");

const more = ref(false);

async function read(before?: number): Promise<void> {
  try {
    const page = await props.store.history(before);
    entries.value = [...(before ? (entries.value ?? []) : []), ...page.revisions];
    more.value = page.more;
    trouble.value = "";
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}
watch([open, props.store.job], () => open.value && void read());
const from = (entry: Schemas["RevisionModel"]) =>
  entry.parent !== null && entry.parent !== entry.number - 1 ? `, after change ${entry.parent}` : "";
</script>

<template>
  <a-modal v-model:open="open" title="Changes" :footer="null" width="520px">
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <a-spin v-else-if="!entries" />
    <ol v-else>
      <li v-for="entry in entries" :key="entry.number" :aria-current="entry.is_head || undefined">
        <span class="fig muted">{{ entry.number }}</span>
        <span>
          {{ entry.sentence }}
          <span class="muted">{{ moment(entry.made_at) }} {{ entry.made_by }}{{ from(entry) }}</span>
        </span>
        <b v-if="entry.is_head">here</b>
        <span v-else-if="entry.thin" class="muted">too long ago to go there</span>
        <a-button v-else size="small" :aria-label="`Go to change ${entry.number}`" @click="store.goTo(entry.number)">
          Go there
        </a-button>
      </li>
      <li v-if="more">
        <span></span>
        <a-button size="small" @click="read(entries.at(-1)?.number)">Earlier changes</a-button>
      </li>
    </ol>
  </a-modal>
</template>

<style scoped>
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 60vh;
  overflow-y: auto;
}
li {
  display: grid;
  grid-template-columns: 28px 1fr max-content;
  gap: 8px;
  align-items: center;
  min-height: 32px;
  border-bottom: 1px solid var(--line);
}
li[aria-current] {
  background: var(--chosen);
}
</style>
