<script setup lang="ts">
/** All fleets: many machines that go to the same models of disk. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import type { TableColumnType } from "ant-design-vue";
import { h, ref } from "vue";
import { useRouter } from "vue-router";
import { beginFleet, deleteFleet, fleetsQuery, shelfQuery } from "../api/buy";
import TopBar from "../widgets/TopBar.vue";
import { moment } from "../widgets/units";
import TroubleLine from "../widgets/TroubleLine.vue";

const emit = defineEmits<{ keys: [] }>();
const router = useRouter();
const queries = useQueryClient();
const { data: fleets, isPending, error, refetch } = useQuery(fleetsQuery());
const { data: shelf } = useQuery(shelfQuery());
const trouble = ref("");
type Line = NonNullable<typeof fleets.value>[number];
const COLUMNS: TableColumnType<Line>[] = [
  { key: "name", title: "Fleet", sorter: (one, other) => one.name.localeCompare(other.name) },
  { key: "machines", title: "Machines", align: "right", sorter: (one, other) => one.machines - other.machines },
  { key: "targets", title: "Against" },
  { key: "changed", title: "Changed", sorter: (one, other) => one.changed_at.localeCompare(other.changed_at) },
  { key: "delete", title: () => h("span", { class: "sr-only" }, "Delete") },
];
const PAGES = { size: "small" as const, pageSize: 50, hideOnSinglePage: true, showSizeChanger: false };
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
async function forget(id: number): Promise<void> {
  try {
    await deleteFleet(id);
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
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
      <a-button type="primary" @click="begin">New fleet</a-button>
    </div>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <div v-if="isPending" class="card"><a-spin /> Reading the fleets</div>
    <TroubleLine v-else-if="error">
      {{ error.message }} <a-button size="small" @click="refetch()">Try again</a-button>
    </TroubleLine>
    <section v-else-if="!fleets?.length" class="card">
      <h2>No fleet yet</h2>
      <p>
        Begin one, then drop the machines' surveys on it: files, a folder, an archive, or a table with a line for each
        partition and a column for the machine.
      </p>
    </section>
    <section v-else class="card">
      <a-table
        size="small"
        row-key="id"
        aria-label="Fleets"
        :columns="COLUMNS"
        :data-source="fleets"
        :pagination="PAGES"
      >
        <template #bodyCell="{ column, record: fleet }">
          <router-link v-if="column.key === 'name'" :to="`/fleets/${fleet.id}`">
            <b>{{ fleet.name }}</b>
          </router-link>
          <template v-else-if="column.key === 'machines'">{{ fleet.machines }}</template>
          <template v-else-if="column.key === 'targets'">{{ fleet.targets.join(", ") || "no disk yet" }}</template>
          <span v-else-if="column.key === 'changed'" class="muted">{{ moment(fleet.changed_at) }}</span>
          <a-popconfirm
            v-else
            :title="`Delete ${fleet.name} with its surveys?`"
            ok-text="Delete"
            cancel-text="Keep"
            @confirm="forget(fleet.id)"
          >
            <a-button size="small" type="text" :aria-label="`Delete ${fleet.name}`">Delete</a-button>
          </a-popconfirm>
        </template>
      </a-table>
    </section>
  </main>
</template>

<style scoped>
main {
  padding: 14px 20px 40px;
}
.gap {
  flex: 1;
}
</style>
