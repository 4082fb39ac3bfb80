<script setup lang="ts">
/** What can be put right by hand for one partition of the source; each field says beside it why it cannot be taken. */
import { computed, ref, watch } from "vue";
import type { Partition } from "../api/client";
import type { JobStore } from "../api/jobs";
import { size, units } from "../widgets/units";

const props = defineProps<{ partition: Partition; store: JobStore }>();
const used = ref("");
const immovable = ref("");
const lightened = ref("");
const fs = computed(() => props.partition.filesystem);
const refused = props.store.refusedIn("facts");
const at = (field: string) => (refused.value?.problem.at.startsWith(field) ? refused.value.message : "");

watch(
  fs,
  (known) => {
    used.value = known?.used_bytes == null ? "" : size(known.used_bytes);
    immovable.value = known?.immovable_end_byte == null ? "" : size(known.immovable_end_byte);
    lightened.value = (known?.lightened ?? []).map((item) => `${item.bytes}\t${item.name}`).join("\n");
  },
  { immediate: true },
);
const total = computed(() => (fs.value?.lightened ?? []).reduce((sum, item) => sum + item.bytes, 0));

function amend(kind: "used" | "immovable" | "lightened", text: string): void {
  const bare = units.value === "decimal" ? ("gb" as const) : ("gib" as const);
  const row = props.partition.number;
  void props.store.change(kind === "lightened" ? { kind, row, text } : { kind, row, text, bare }, "facts");
}
</script>

<template>
  <div class="facts">
    <form @submit.prevent="amend('used', used)">
      <label :for="`used-${partition.number}`">Used space</label>
      <input :id="`used-${partition.number}`" v-model="used" class="fig" placeholder="131 GiB, 31 %, 289 free" />
      <a-button size="small" html-type="submit">Set</a-button>
      <p v-if="at('used')" role="alert">{{ at("used") }}</p>
    </form>
    <form @submit.prevent="amend('immovable', immovable)">
      <label :for="`fixed-${partition.number}`">What cannot be moved ends at</label>
      <input :id="`fixed-${partition.number}`" v-model="immovable" class="fig" placeholder="not known" />
      <a-button size="small" html-type="submit">Set</a-button>
      <a-button v-if="fs?.immovable_end_byte != null" size="small" @click="amend('immovable', '')">Clear</a-button>
      <p v-if="at('immovable')" role="alert">{{ at("immovable") }}</p>
      <p v-else class="muted">A page file, hibernation or restore points. Clear it where they were switched off.</p>
    </form>
    <form class="light" @submit.prevent="amend('lightened', lightened)">
      <label :for="`light-${partition.number}`">What need not go over</label>
      <textarea
        :id="`light-${partition.number}`"
        v-model="lightened"
        rows="3"
        class="fig"
        placeholder="old videos 38 GiB&#10;or the lines that du -b prints"
        spellcheck="false"
      />
      <a-button size="small" html-type="submit">Set</a-button>
      <p v-if="at('lightened')" role="alert">{{ at("lightened") }}</p>
      <p v-else class="muted">{{ total ? `${size(total)} stay behind.` : "One line each: a name and a size." }}</p>
    </form>
  </div>
</template>

<style scoped>
.facts {
  display: grid;
  grid-template-columns: 1fr 1.2fr 1.6fr;
  gap: 8px 22px;
  margin: 8px 0 6px;
  padding: 10px 12px;
  background: var(--paper);
  border-radius: 6px;
}
form {
  display: grid;
  grid-template-columns: 1fr max-content max-content;
  gap: 4px 6px;
  align-content: start;
}
form > label,
form > p {
  grid-column: 1 / -1;
}
input,
textarea {
  min-width: 0;
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--sand);
  border-radius: 6px;
  padding: 3px 8px;
  font-size: 13px;
}
[role="alert"] {
  color: var(--action);
}
@media (max-width: 900px) {
  .facts {
    grid-template-columns: 1fr;
  }
}
</style>
