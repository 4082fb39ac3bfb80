<script setup lang="ts">
/** All fleets: many machines that go to the same models of disk. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { useRouter } from "vue-router";
import { beginFleet, deleteFleet, fleetsQuery, shelfQuery } from "../api/buy";
import TopBar from "../widgets/TopBar.vue";
import { moment } from "../widgets/units";

const emit = defineEmits<{ keys: [] }>();
const router = useRouter();
const queries = useQueryClient();
const { data: fleets, isPending, error, refetch } = useQuery(fleetsQuery());
const { data: shelf } = useQuery(shelfQuery());
const trouble = ref("");
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
    <p v-if="trouble" role="alert" class="card"><span class="tag stop">stop</span> {{ trouble }}</p>
    <div v-if="isPending" class="card"><a-spin /> Reading the fleets</div>
    <div v-else-if="error" class="card" role="alert">
      <p>{{ error.message }}</p>
      <a-button @click="refetch()">Try again</a-button>
    </div>
    <section v-else-if="!fleets?.length" class="card">
      <h2>No fleet yet</h2>
      <p>
        Begin one, then drop the machines' surveys on it: files, a folder, an archive, or a table with a line for each
        partition and a column for the machine.
      </p>
    </section>
    <section v-else class="card">
      <table class="plain">
        <thead>
          <tr>
            <th scope="col">Fleet</th>
            <th scope="col" class="num">Machines</th>
            <th scope="col">Against</th>
            <th scope="col">Changed</th>
            <th scope="col"><span class="sr-only">Delete</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="fleet in fleets" :key="fleet.id">
            <td>
              <router-link :to="`/fleets/${fleet.id}`"
                ><b>{{ fleet.name }}</b></router-link
              >
            </td>
            <td class="num">{{ fleet.machines }}</td>
            <td>{{ fleet.targets.join(", ") || "no disk yet" }}</td>
            <td class="muted">{{ moment(fleet.changed_at) }}</td>
            <td>
              <a-popconfirm
                :title="`Delete ${fleet.name} with its surveys?`"
                ok-text="Delete"
                cancel-text="Keep"
                @confirm="forget(fleet.id)"
              >
                <a-button size="small" type="text" :aria-label="`Delete ${fleet.name}`">Delete</a-button>
              </a-popconfirm>
            </td>
          </tr>
        </tbody>
      </table>
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
