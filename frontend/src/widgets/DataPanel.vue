<script setup lang="ts">
/** The data as a whole: where they stand, how large they are, backups, all jobs as one file. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { settle } from "../api/cache";
import { backUp, dataQuery, jobsFile, putBack, takeIn, type Bundle, type DataState } from "../api/data";
import { counted, moment, size } from "./units";
import FilePick from "./FilePick.vue";
import TroubleLine from "./TroubleLine.vue";

const queries = useQueryClient();
const { data: state, error } = useQuery(dataQuery());
const said = ref("");
const refused = ref("");
const busy = ref(false);

async function run(call: () => Promise<DataState>, words: (made: DataState) => string): Promise<void> {
  busy.value = true;
  refused.value = said.value = "";
  try {
    const made = await call();
    await settle(queries, ["data"], made);
    said.value = words(made);
  } catch (failure) {
    refused.value = (failure as Error).message;
  } finally {
    busy.value = false;
  }
}
/** A fingerprint of 32 bytes as two lines that can be compared. */
const halves = (fingerprint: string): string[] => fingerprint.match(/.{1,48}/g) ?? [];
const make = () => run(backUp, (made) => `${made.backups[0]?.name} is made.`);
async function restore(name: string): Promise<void> {
  await run(
    () => putBack(name),
    (made) => `${made.jobs} jobs are back; what was there before is the newest backup.`,
  );
  await queries.invalidateQueries();
}
async function read([file]: File[]): Promise<void> {
  if (!file) return;
  refused.value = said.value = "";
  try {
    const made = await takeIn(JSON.parse(await file.text()) as Bundle);
    said.value = `${made.length} jobs came in.`;
    void queries.invalidateQueries();
  } catch (failure) {
    refused.value = failure instanceof SyntaxError ? `${file.name} is no file of jobs.` : (failure as Error).message;
  }
}
</script>

<template>
  <section class="card" aria-label="Data">
    <h2>Data</h2>
    <TroubleLine v-if="error">{{ error.message }}</TroubleLine>
    <template v-else-if="state">
      <dl class="pairs">
        <dt>Holds</dt>
        <dd>
          {{ counted(state.jobs, "job") }}, {{ counted(state.fleets, "fleet") }}, {{ counted(state.surveys, "survey") }}
        </dd>
        <dt>Takes</dt>
        <dd>
          <span class="fig">{{ size(state.file_bytes) }}</span> the data file,
          <span class="fig">{{ size(state.folder_bytes) }}</span> the whole folder
        </dd>
        <dt>Last backup</dt>
        <dd>{{ state.backups[0] ? moment(state.backups[0].made_at) : "none made here yet" }}</dd>
        <template v-if="state.certificate">
          <dt>Certificate</dt>
          <dd>
            {{ state.certificate.own ? "its own" : "given" }}, until {{ state.certificate.until }}; a browser shows as
            its SHA-256 fingerprint
            <span v-for="half in halves(state.certificate.fingerprint)" :key="half" class="fig print">{{ half }}</span>
          </dd>
        </template>
        <template v-if="state.working.length">
          <dt>At work</dt>
          <dd>{{ state.working.join(", ") }}</dd>
        </template>
      </dl>
      <div class="acts">
        <a-button size="small" :loading="busy" @click="make">Back up now</a-button>
        <a-button size="small" :href="jobsFile()">Take every job out</a-button>
        <FilePick text="Take jobs in" accept=".json,application/json" @picked="read" />
      </div>
      <p v-if="said" role="status">{{ said }}</p>
      <TroubleLine v-if="refused">{{ refused }}</TroubleLine>
      <ul v-if="state.backups.length" class="lines">
        <li v-for="kept in state.backups.slice(0, 8)" :key="kept.name">
          <div>
            <span class="fig">{{ kept.name }}</span> <span class="muted">{{ size(kept.size_bytes) }}</span>
          </div>
          <a-button size="small" type="text" :href="`/api/backups/${kept.name}`" :aria-label="`Take out ${kept.name}`">
            Take out
          </a-button>
          <a-popconfirm
            :title="`Put ${kept.name} in the place of all data? A backup of what is here is made first.`"
            ok-text="Put it back"
            cancel-text="Leave it"
            @confirm="restore(kept.name)"
          >
            <a-button size="small" type="text" :aria-label="`Put back ${kept.name}`">Put back</a-button>
          </a-popconfirm>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 10px;
}
.print {
  display: block;
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
</style>
