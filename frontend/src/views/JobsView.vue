<script setup lang="ts">
import { useInfiniteQuery, useQueryClient } from "@tanstack/vue-query";
import { refDebounced, useEventListener } from "@vueuse/core";
import { computed, defineAsyncComponent, ref } from "vue";
import { useRouter } from "vue-router";
import type { JobLine, Survey } from "../api/client";
import { bringJobBack, copyJob, jobsFile } from "../api/data";
import { createJob, deleteJob, jobsQuery, renameJob as rename, sampleJob, useAnnounce } from "../api/jobs";
import JobTable from "../jobs/JobTable.vue";
import { type Act } from "../jobs/acts";
import DropVeil from "../widgets/DropVeil.vue";
import PickOne from "../widgets/PickOne.vue";
import TopBar from "../widgets/TopBar.vue";
import { readFile } from "../intake/files";
import { STAGE_KEYS, STAGES, type Stage } from "../stages";
import { isTyping } from "../widgets/keys";
import { verdictName } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const DiskIntake = defineAsyncComponent(() => import("../intake/DiskIntake.vue"));
const emit = defineEmits<{ keys: [] }>();
const router = useRouter();
const queries = useQueryClient();
const announce = useAnnounce();
const search = ref("");
const stage = ref<"" | Stage | "closed">("");
const verdict = ref<"" | NonNullable<JobLine["verdict"]>>("");
const STAGE_CHOICES = [
  { value: "", label: "every stage" },
  ...STAGE_KEYS.map((key) => ({ value: key, label: STAGES[key].name })),
  { value: "closed", label: "Closed" },
] as const;
const VERDICT_CHOICES = [
  { value: "", label: "every verdict" },
  ...(["comfortable", "tight", "does-not-fit"] as const).map((key) => ({ value: key, label: verdictName(key) })),
] as const;
const asked = refDebounced(search, 150);
const wanted = computed(() => ({ text: asked.value.trim(), stage: stage.value, verdict: verdict.value }));
const { data, isPending, error, refetch, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery(
  computed(() => jobsQuery(wanted.value)),
);
const shown = computed(() => data.value?.pages.flatMap((page) => page.jobs) ?? []);
const narrowed = computed(() => !!wanted.value.text || !!wanted.value.stage || !!wanted.value.verdict);
const more = () => void (hasNextPage.value && !isFetchingNextPage.value && fetchNextPage());
const trouble = ref("");
const adding = ref(false);

document.title = "Jobs · Ylemorph";

async function begin(source?: Survey, words: string[] = [], sent = false): Promise<void> {
  try {
    const name = source?.disk.model ? `${source.disk.model} to a new disk` : "New job";
    const job = await createJob({ name, ...(source ? { source } : {}) });
    announce(job.id, words);
    void queries.invalidateQueries({ queryKey: ["jobs"] });
    // A listing that leaves something open is looked at first; a whole one needs only its target.
    const next = source && words.length < 2 ? "target" : "source";
    await router.push({ path: `/jobs/${job.id}/${next}`, query: sent ? { sent: "1" } : {} });
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
}

async function sample(): Promise<void> {
  try {
    const job = await sampleJob();
    void queries.invalidateQueries({ queryKey: ["jobs"] });
    await router.push(`/jobs/${job.id}/fit`);
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
}

/** The last deleted job, for as long as it can be brought back from here. */
const deleted = ref<{ words: string; id: number } | null>(null);

async function act(what: Act, job: JobLine): Promise<void> {
  trouble.value = "";
  try {
    if (what === "out") window.location.assign(jobsFile([job.id]));
    else if (what === "double") await double(job);
    else await forget(job);
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
  void queries.invalidateQueries({ queryKey: ["jobs"] });
}
async function double(job: JobLine): Promise<void> {
  const { id } = await copyJob(job.id);
  if (!job.closed) await rename(id, `${job.name}, second`.slice(0, 200));
}
/** A job that cannot be read cannot be taken out either, so it goes without a way back. */
async function forget(job: JobLine): Promise<void> {
  await deleteJob(job.id);
  deleted.value = job.broken ? null : { words: `${job.code} ${job.name}`.trim(), id: job.id };
}
async function bringBack(): Promise<void> {
  if (!deleted.value) return;
  try {
    await bringJobBack(deleted.value.id);
    deleted.value = null;
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
  void queries.invalidateQueries({ queryKey: ["jobs"] });
}

function dropped(what: DataTransfer): void {
  const file = what.files[0];
  if (!file) return;
  trouble.value = "";
  void beginFrom(file);
}

/** A dropped listing of one disk begins a job at once; of several, the job begins where the disk is chosen. */
async function beginFrom(file: File): Promise<void> {
  try {
    const reading = await readFile(file);
    const only = reading.found.length === 1 ? reading.found[0] : undefined;
    if (only) await begin(only.survey, [`Recognised: ${reading.form}.`, ...only.missing]);
    else {
      adding.value = true;
      trouble.value = `${file.name} lists ${reading.found.length} disks: give it under “A listing”, where one is chosen.`;
    }
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
}

useEventListener(window, "keydown", (event: KeyboardEvent) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return;
  const key = event.key.toLowerCase();
  if (key === "z") void bringBack();
  if (key !== "n") return;
  event.preventDefault();
  adding.value = true;
});
</script>

<template>
  <TopBar @keys="emit('keys')" />
  <main class="jobs">
    <div class="head">
      <h1>Jobs</h1>
      <a-input
        v-model:value="search"
        class="search"
        placeholder="Search name, number, disk or serial"
        allow-clear
        aria-label="Search jobs"
      />
      <PickOne v-model="stage" :choices="STAGE_CHOICES" label="Stage of the jobs" />
      <PickOne v-model="verdict" :choices="VERDICT_CHOICES" label="Verdict of the jobs" />
      <a-button type="primary" :aria-expanded="adding" @click="adding = !adding">New job</a-button>
    </div>

    <section v-if="adding" class="card new" aria-label="New job">
      <DiskIntake what="source disk" typed @survey="(source, words) => begin(source, words)" />
      <div>
        <a-button @click="begin()">Begin without a survey</a-button>
        <a-button @click="begin(undefined, [], true)">Have the customer's machine send it</a-button>
        <span class="muted"> The source can follow later.</span>
      </div>
    </section>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>

    <p v-if="deleted" role="status" class="card">
      {{ deleted.words }} is deleted.
      <a-button size="small" @click="bringBack">Undo <kbd>Z</kbd></a-button>
    </p>
    <div v-if="isPending" class="card wait"><a-spin /> Reading the jobs</div>
    <TroubleLine v-else-if="error">
      {{ error.message }} <a-button size="small" @click="refetch()">Try again</a-button>
    </TroubleLine>
    <section v-else-if="!shown.length && !narrowed" class="card empty">
      <h2>No jobs yet</h2>
      <p>
        Ylemorph works out, before a clone of one to three hours starts, how every partition of a disk will fit a disk
        of another size, what will go wrong and what would mend it. It changes nothing on any disk.
      </p>
      <p>There are three ways to begin:</p>
      <ol>
        <li>Drop a listing or survey of the source disk anywhere on this page.</li>
        <li>Press <b>New job</b> and read a disk on the bench, or paste a listing.</li>
        <li>Press <b>New job</b> and type the numbers: sizes and used space are enough.</li>
      </ol>
      <div>
        <a-button @click="sample">Try it with a sample</a-button>
        <span class="muted"> A 1 TB disk onto one of 480 GB.</span>
      </div>
    </section>
    <p v-else-if="!shown.length && !hasNextPage" class="card">
      No job matches{{ wanted.text ? ` “${wanted.text}”` : "" }}.
    </p>
    <JobTable v-else :jobs="shown" :more="hasNextPage" :reading="isFetchingNextPage" @act="act" @more="more" />
  </main>
  <DropVeil words="Drop the listing to begin a job" @drop="dropped" />
</template>

<style scoped>
.jobs {
  max-width: 1240px;
  margin: 0 auto;
  padding: 18px 20px 40px;
  display: grid;
  gap: 12px;
}
.head {
  display: flex;
  align-items: center;
  gap: 12px;
}
.head h1 {
  flex: 1;
}
.search {
  max-width: 320px;
}
.new,
.empty {
  display: grid;
  gap: 12px;
}
.empty ol {
  margin: 0;
  padding-left: 20px;
}
.wait {
  display: flex;
  gap: 10px;
}
@media (max-width: 600px) {
  .jobs {
    grid-template-columns: minmax(0, 1fr);
    padding: 12px;
  }
  .head {
    flex-wrap: wrap;
  }
  .search {
    flex-basis: 100%;
    max-width: none;
  }
}
</style>
