<script setup lang="ts">
/** The disks attached to the bench, each to be read. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import type { Survey } from "../api/client";
import { benchQuery, readBench, realDisksQuery, type BenchDisk } from "../api/reading";
import { HEALTH, LINKS } from "../widgets/words";
import AttachedDisks from "./AttachedDisks.vue";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ what: string; serial?: string }>();
const emit = defineEmits<{ survey: [survey: Survey, words: string[]] }>();
const { data: real } = useQuery(realDisksQuery());
const { data: disks, isPending, error, refetch } = useQuery(benchQuery());
const attached = computed(() => (disks.value ?? []).filter((disk) => disk.attached));
const reading = ref("");
const trouble = ref("");

async function read(disk: BenchDisk): Promise<void> {
  reading.value = disk.key;
  trouble.value = "";
  try {
    emit("survey", await readBench(disk.key), []);
  } catch (failure) {
    trouble.value = (failure as Error).message;
    void refetch();
  } finally {
    reading.value = "";
  }
}
</script>

<template>
  <div>
    <AttachedDisks
      verb="Read this disk"
      :as="`as the ${props.what}`"
      :serial="props.serial"
      @survey="(survey, words) => emit('survey', survey, words)"
    />
    <h2 v-if="real?.allowed">For practice</h2>
    <p v-if="isPending" class="muted">Looking at the bench</p>
    <TroubleLine v-else-if="error">
      {{ error.message }} <a-button size="small" @click="refetch()">Try again</a-button>
    </TroubleLine>
    <p v-else-if="!attached.length">
      No disk is attached. <router-link to="/bench">Attach one on the bench</router-link>.
    </p>
    <ul v-else>
      <li v-for="disk in attached" :key="disk.key">
        <div class="who">
          <b>{{ disk.model }}</b> <span class="fig">{{ disk.label }}</span>
          <span class="fig muted">{{ disk.serial }}</span>
          <a-tag v-if="disk.serial === props.serial" class="tag">chosen</a-tag>
          <div class="muted">
            {{ LINKS[disk.link as keyof typeof LINKS] }}, {{ disk.place }} · {{ disk.holds || "holds nothing" }}
          </div>
          <div v-if="disk.health && disk.health.state !== 'good'">
            <a-tag class="tag mind">mind</a-tag> {{ HEALTH[disk.health.state] }}
          </div>
          <div v-if="disk.same_identity.length">
            <a-tag class="tag mind">mind</a-tag> Carries the same disk identity as
            {{ disk.same_identity.join(" and ") }}
          </div>
        </div>
        <a-button
          size="small"
          :loading="reading === disk.key"
          :aria-label="`Read ${disk.model} ${disk.serial} as the ${props.what}`"
          @click="read(disk)"
        >
          Read this disk
        </a-button>
      </li>
    </ul>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <p v-if="attached.length" class="muted">Another disk? <router-link to="/bench">Go to the bench</router-link>.</p>
  </div>
</template>

<style scoped>
ul {
  margin: 0 0 6px;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 12px;
  align-items: center;
  border-bottom: 1px solid var(--line);
  padding: 7px 0;
}
.who {
  flex: 1;
}
.who > span {
  margin-left: 8px;
}
</style>
