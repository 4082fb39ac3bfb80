<script setup lang="ts">
/** The disks of the bench: who they are, how they are attached, how they fare, what they hold. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { addFiles, beginFleet, shelfQuery } from "../api/buy";
import { settle } from "../api/cache";
import type { Survey } from "../api/client";
import { createJob } from "../api/jobs";
import { attach, beginRealDisk, benchQuery, detach, realDisksQuery, type BenchDisk } from "../api/reading";
import AttachedDisks from "../intake/AttachedDisks.vue";
import { base64 } from "../intake/files";
import { useReading } from "../intake/reading";
import ReadingBar from "../intake/ReadingBar.vue";
import { healthFigures } from "../widgets/health";
import TopBar from "../widgets/TopBar.vue";
import { size } from "../widgets/units";
import { HEALTH, LINKS } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const emit = defineEmits<{ keys: [] }>();
const queries = useQueryClient();
const { data: disks, isPending, error, refetch } = useQuery(benchQuery());
const busy = ref("");
const trouble = ref("");

document.title = "Bench · Ylemorph";

async function flip(disk: BenchDisk): Promise<void> {
  busy.value = disk.key;
  trouble.value = "";
  try {
    await settle(queries, ["bench"], await (disk.attached ? detach : attach)(disk.key));
  } catch (failure) {
    trouble.value = (failure as Error).message;
  } finally {
    busy.value = "";
  }
}

const router = useRouter();
const { data: real } = useQuery(realDisksQuery());
const { data: shelf } = useQuery(shelfQuery());
const { running, trouble: unread, read } = useReading();
const many = ref("");
/** Those that hold something and that nobody has to be asked about. */
const surveyed = computed(() =>
  (real.value?.disks ?? []).filter((disk) => disk.holds && !disk.cannot && !disk.uses.length),
);

async function toJob(source: Survey): Promise<void> {
  try {
    const job = await createJob({ name: `${source.disk.model || "A disk"} to a new disk`, source });
    void queries.invalidateQueries({ queryKey: ["jobs"] });
    await router.push(`/jobs/${job.id}/target`);
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
}

async function toFleet(): Promise<void> {
  const disks = surveyed.value;
  const files: { name: string; data: string }[] = [];
  const left: string[] = [];
  trouble.value = "";
  for (const [index, disk] of disks.entries()) {
    many.value = `Reading ${disk.path}, ${index + 1} of ${disks.length}`;
    const survey = await read(() => beginRealDisk(disk.key, false));
    const data = survey && base64(new TextEncoder().encode(JSON.stringify(survey)));
    if (data) files.push({ name: `${disk.model || disk.path} ${disk.serial}`.trim(), data });
    else left.push(`${disk.path}: ${unread.value}`);
  }
  many.value = "";
  trouble.value = left.join(" ");
  if (!files.length) return;
  try {
    const fleet = await beginFleet("Attached disks", shelf.value?.disks ?? []);
    await addFiles(fleet.id, files);
    void queries.invalidateQueries({ queryKey: ["fleets"] });
    await router.push(`/fleets/${fleet.id}`);
  } catch (failure) {
    trouble.value = (failure as Error).message;
  }
}

const health = (disk: BenchDisk) =>
  disk.health ? healthFigures(disk.health) || HEALTH[disk.health.state] : "the adapter hides it";
</script>

<template>
  <TopBar @keys="emit('keys')" />
  <main class="stage-page">
    <div class="head">
      <h1>Bench</h1>
      <span class="muted">the disks that can be read here</span>
    </div>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <div v-if="real?.allowed" class="card real">
      <AttachedDisks verb="New job from it" as="as its source" @survey="toJob" />
      <div v-if="surveyed.length > 1 || many" class="all">
        <a-button size="small" :loading="!!many" @click="toFleet">Survey all of them into a fleet</a-button>
        <span v-if="many" role="status">{{ many }}</span>
        <ReadingBar v-if="many && running" :progress="running" />
      </div>
      <p class="muted">They are opened for reading only. A job's own pages read them as a target, or to check back.</p>
    </div>
    <p v-else-if="real" class="card real">
      Disks that are attached to this machine are shown to whoever sits at it, after
      <code>ylemorph serve --disks</code>. Without that, a job takes a listing, a disk's image or three figures.
    </p>
    <div class="head">
      <h2>For practice</h2>
      <span class="muted">
        Stand-ins for attached disks, for trying Ylemorph out. Each has a real image behind it that is read like any
        other disk.
      </span>
    </div>
    <div v-if="isPending" class="card"><a-spin /> Looking at the bench</div>
    <TroubleLine v-else-if="error">
      {{ error.message }} <a-button size="small" @click="refetch()">Try again</a-button>
    </TroubleLine>
    <ul v-else>
      <li v-for="disk in disks" :key="disk.key" class="card" :class="{ away: !disk.attached }">
        <div class="top">
          <h2>{{ disk.model }}</h2>
          <span class="fig">{{ disk.label }}</span>
          <a-button
            size="small"
            :loading="busy === disk.key"
            :aria-label="`${disk.attached ? 'Detach' : 'Attach'} ${disk.model} ${disk.serial}`"
            @click="flip(disk)"
          >
            {{ disk.attached ? "Detach" : "Attach" }}
          </a-button>
        </div>
        <p class="muted">{{ disk.place }}</p>
        <dl class="pairs">
          <dt>Serial</dt>
          <dd class="fig">{{ disk.serial }}</dd>
          <dt>Link</dt>
          <dd>
            {{ LINKS[disk.link as keyof typeof LINKS] }}, reads <span class="fig">{{ disk.rate }} MB/s</span>
          </dd>
          <dt>Shows as</dt>
          <dd>
            <span class="fig">{{ size(disk.size_bytes, "binary") }}</span>, sectors of {{ disk.sector_bytes }} B{{
              disk.rotational === null ? "" : disk.rotational ? ", mechanical" : ", solid-state"
            }}
          </dd>
          <dt>Health</dt>
          <dd>
            <a-tag v-if="disk.health && disk.health.state !== 'good'" class="tag mind">{{ disk.health.state }}</a-tag>
            {{ health(disk) }}
          </dd>
          <dt>Holds</dt>
          <dd>{{ disk.attached ? disk.holds || "nothing" : "not attached" }}</dd>
        </dl>
        <p v-if="disk.same_identity.length">
          <a-tag class="tag mind">mind</a-tag> Same disk identity as {{ disk.same_identity.join(" and ") }}: never start
          a machine with both attached.
        </p>
      </li>
    </ul>
  </main>
</template>

<style scoped>
main {
  padding: 14px 20px 40px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(360px, 1fr));
  gap: 12px;
}
li {
  display: grid;
  gap: 6px;
  align-content: start;
}
li.away {
  border-style: dashed;
  background: none;
}
.real {
  margin-bottom: 14px;
}
.all {
  display: flex;
  gap: 10px;
  align-items: center;
}
.top {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.top h2 {
  font-size: 16px;
}
.top .ant-btn {
  margin-left: auto;
}
@media (max-width: 420px) {
  ul {
    grid-template-columns: 1fr;
  }
}
</style>
