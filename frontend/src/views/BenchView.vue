<script setup lang="ts">
/** The disks of the bench: who they are, how they are attached, how they fare, what they hold. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { settle } from "../api/cache";
import { attach, benchQuery, detach, type BenchDisk } from "../api/reading";
import { healthFigures } from "../widgets/health";
import TopBar from "../widgets/TopBar.vue";
import { size } from "../widgets/units";
import { HEALTH, LINKS } from "../widgets/words";

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

const health = (disk: BenchDisk) =>
  disk.health ? healthFigures(disk.health) || HEALTH[disk.health.state] : "the adapter hides it";
</script>

<template>
  <TopBar @keys="emit('keys')" />
  <main class="stage-page">
    <div class="head">
      <h1>Bench</h1>
      <span class="muted">
        Stand-ins for attached disks, for practice and for trying Ylemorph out. Each has a real image behind it that is
        read like any other disk.
      </span>
    </div>
    <p v-if="trouble" role="alert" class="card"><span class="tag stop">stop</span> {{ trouble }}</p>
    <div v-if="isPending" class="card"><a-spin /> Looking at the bench</div>
    <div v-else-if="error" class="card" role="alert">
      <p>{{ error.message }}</p>
      <a-button @click="refetch()">Try again</a-button>
    </div>
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
            <span v-if="disk.health && disk.health.state !== 'good'" class="tag mind">{{ disk.health.state }}</span>
            {{ health(disk) }}
          </dd>
          <dt>Holds</dt>
          <dd>{{ disk.attached ? disk.holds || "nothing" : "not attached" }}</dd>
        </dl>
        <p v-if="disk.same_identity.length">
          <span class="tag mind">mind</span> Same disk identity as {{ disk.same_identity.join(" and ") }}: never start a
          machine with both attached.
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
