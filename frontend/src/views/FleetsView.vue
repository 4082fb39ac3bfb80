<script setup lang="ts">
/** All fleets: many machines that go to the same models of disk. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import type { TableColumnType } from "ant-design-vue";
import { computed, h, ref, watch } from "vue";
import { useRouter } from "vue-router";
import {
  beginFleet,
  deleteFleet,
  fleetsQuery,
  PAGE,
  shelfQuery,
  type FleetFilter,
  type FleetLine,
  type FleetSortKey,
} from "../api/buy";
import { paged, sorted } from "../fleet/paged";
import TopBar from "../widgets/TopBar.vue";
import { counted, moment } from "../widgets/units";
import { spaced } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const emit = defineEmits<{ keys: [] }>();
const router = useRouter();
const queries = useQueryClient();
const text = ref("");
const typed = computed(() => text.value.trim());
const asked = refDebounced(typed, 150);
const place = ref<Omit<FleetFilter, "text">>({ sort: "changed", down: true, start: 0 });
watch(asked, () => (place.value.start = 0));
const {
  data: page,
  isPending,
  error,
  refetch,
} = useQuery(computed(() => fleetsQuery({ text: asked.value, ...place.value })));
/** Whose last line went is no page any more. */
watch(page, (now) => {
  if (now?.count && !now.fleets.length) place.value.start = Math.floor((now.count - 1) / PAGE) * PAGE;
});
const { data: shelf } = useQuery(shelfQuery());
const trouble = ref("");
const leaving = ref<FleetLine | null>(null);
const { sorting, pages, changed } = paged<FleetLine, FleetSortKey>(
  () => place.value,
  () => page.value?.count ?? 0,
  (key) => (place.value = sorted(place.value, key)),
  (start) => (place.value.start = start),
);
const columns = computed<TableColumnType<FleetLine>[]>(() => [
  sorting("name", "Fleet"),
  sorting("machines", "Machines", { align: "right" }),
  { key: "targets", title: "Against" },
  sorting("changed", "Changed"),
  { key: "delete", title: () => h("span", { class: "sr-only" }, "Delete") },
]);
document.title = "Fleets · Ylemorph";

async function begin(): Promise<void> {
  try {
    const fleet = await beginFleet("Fleet", shelf.value?.disks ?? []);
    void queries.invalidateQueries({ queryKey: ["fleets"] });
    await router.push(`/fleets/${fleet.id}`);
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
}
async function forget(): Promise<void> {
  if (!leaving.value) return;
  try {
    await deleteFleet(leaving.value.id);
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
  leaving.value = null;
  void queries.invalidateQueries({ queryKey: ["fleets"] });
}
</script>

<template>
  <TopBar @keys="emit('keys')" />
  <main class="stage-page">
    <div class="head">
      <h1>Fleets</h1>
      <span class="muted">many machines at once: which size does for all, what to buy, which need something first</span>
      <span class="gap" />
      <a-input
        v-if="text || (page?.count ?? 0) > PAGE"
        v-model:value="text"
        class="search"
        placeholder="Search name"
        allow-clear
        aria-label="Search fleets"
      />
      <a-button type="primary" @click="begin">New fleet</a-button>
    </div>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <div v-if="isPending" class="card"><a-spin /> Reading the fleets</div>
    <TroubleLine v-else-if="error">
      {{ error.message }} <a-button size="small" @click="refetch()">Try again</a-button>
    </TroubleLine>
    <section v-else-if="!page?.count && !asked" class="card">
      <h2>No fleet yet</h2>
      <p>
        Begin one, then drop the machines' surveys on it: files, a folder, an archive, or a table with a line for each
        partition and a column for the machine.
      </p>
    </section>
    <p v-else-if="!page?.count" class="card">No fleet’s name holds “{{ asked }}”.</p>
    <section v-else class="card">
      <a-table
        size="small"
        row-key="id"
        aria-label="Fleets"
        :columns="columns"
        :data-source="page.fleets"
        :pagination="pages"
        @change="changed"
      >
        <template #bodyCell="{ column, record: fleet }">
          <router-link v-if="column.key === 'name'" :to="`/fleets/${fleet.id}`">
            <b>{{ fleet.name }}</b>
          </router-link>
          <template v-else-if="column.key === 'machines'">{{ fleet.machines }}</template>
          <template v-else-if="column.key === 'targets'">{{
            fleet.targets.map(spaced).join(", ") || "no disk yet"
          }}</template>
          <span v-else-if="column.key === 'changed'" class="muted">{{ moment(fleet.changed_at) }}</span>
          <a-button
            v-else
            size="small"
            type="text"
            :aria-label="`Delete ${fleet.name}`"
            @click="leaving = fleet as FleetLine"
          >
            Delete
          </a-button>
        </template>
      </a-table>
    </section>
  </main>
  <a-modal
    :open="!!leaving"
    :title="`Delete ${leaving?.name}?`"
    ok-text="Delete"
    cancel-text="Keep"
    width="400px"
    @ok="forget"
    @cancel="leaving = null"
  >
    <p>{{ leaving?.machines ? `Its ${counted(leaving.machines, "survey")} go with it.` : "No machine is in it." }}</p>
  </a-modal>
</template>

<style scoped>
main {
  padding: 14px 20px 40px;
}
.gap {
  flex: 1;
}
.search {
  max-width: 240px;
}
</style>
