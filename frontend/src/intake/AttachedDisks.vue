<script setup lang="ts">
/** The disks that are really attached to this machine, live, each to be read. Nothing is shown where that is off. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import type { Survey } from "../api/client";
import { beginRealDisk, realDisksQuery, type RealDisk } from "../api/reading";
import { healthFigures } from "../widgets/health";
import { HEALTH, LINKS } from "../widgets/words";
import ReadingBar from "./ReadingBar.vue";
import { useReading } from "./reading";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ verb: string; as: string; serial?: string }>();
const emit = defineEmits<{ survey: [survey: Survey, words: string[]] }>();
const { data: found, error } = useQuery(realDisksQuery());
const { running, trouble, read } = useReading();
const chosen = ref("");
const asked = ref("");

async function begin(disk: RealDisk, although = false): Promise<void> {
  chosen.value = disk.key;
  asked.value = disk.uses.length && !although ? disk.key : "";
  trouble.value = "";
  if (asked.value) return;
  const survey = await read(() => beginRealDisk(disk.key, although));
  if (survey) emit("survey", survey, []);
}
/** Why some cannot be read, once. */
const barred = computed(() => [...new Set((found.value?.disks ?? []).map((disk) => disk.cannot).filter(Boolean))]);
const nature = (disk: RealDisk) =>
  [
    LINKS[disk.link as keyof typeof LINKS],
    disk.rotational === null ? "" : disk.rotational ? "mechanical" : "solid-state",
    disk.holds || "holds nothing",
    disk.cannot ? "" : `reads in ${disk.takes}`,
  ]
    .filter(Boolean)
    .join(" · ");
const health = (disk: RealDisk) => (disk.health ? healthFigures(disk.health) || HEALTH[disk.health.state] : "");
</script>

<template>
  <section v-if="found?.allowed || error" class="attached" aria-label="Attached to this machine">
    <h2>Attached to this machine</h2>
    <TroubleLine v-if="error || found?.trouble">{{ error?.message ?? found?.trouble }}</TroubleLine>
    <p v-else-if="!found?.disks.length" class="muted">No disk. It is seen here as soon as one is attached.</p>
    <ul v-else>
      <li v-for="disk in found?.disks" :key="disk.key">
        <div class="who">
          <b>{{ disk.model || "A disk without a name" }}</b> <span class="fig">{{ disk.label }}</span>
          <span class="fig muted">{{ disk.serial || "no serial" }}</span>
          <a-tag v-if="disk.serial && disk.serial === props.serial" class="tag">chosen</a-tag>
          <div class="muted">
            <span class="fig">{{ disk.path }}</span>{{ disk.place && ` (${disk.place})` }} · {{ nature(disk) }}
          </div>
          <div v-if="disk.uses.length"><a-tag class="tag mind">in use</a-tag> {{ disk.uses.join(", ") }}</div>
          <div v-if="health(disk)">
            <a-tag v-if="disk.health?.state !== 'good'" class="tag mind">{{ disk.health?.state }}</a-tag>
            {{ health(disk) }}
          </div>
          <div v-if="disk.alike.length">
            <a-tag class="tag mind">mind</a-tag> Looks the same as {{ disk.alike.join(" and ") }}: only its place tells
            it from that.
          </div>
        </div>
        <a-button
          size="small"
          :disabled="!!disk.cannot || !!running"
          :aria-label="`${props.verb}: ${disk.model} ${disk.serial} ${disk.path} ${props.as}`"
          :title="disk.cannot"
          @click="begin(disk)"
        >
          {{ props.verb }}
        </a-button>
        <div v-if="asked === disk.key" class="more" role="alert">
          It is in use: {{ disk.uses.join(", ") }}. Its figures may change while it is read.
          <a-button size="small" @click="begin(disk, true)">Read it all the same</a-button>
          <a-button size="small" @click="asked = ''">Leave it</a-button>
        </div>
        <ReadingBar v-if="running && chosen === disk.key" class="more" :progress="running" />
        <TroubleLine v-if="trouble && chosen === disk.key" class="more">{{ trouble }}</TroubleLine>
      </li>
    </ul>
    <p v-for="why in barred" :key="why" role="note">{{ why }}</p>
  </section>
</template>

<style scoped>
.attached {
  margin-bottom: 10px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
  border-bottom: 1px solid var(--line);
  padding: 7px 0;
}
.who {
  flex: 1;
  min-width: 240px;
}
.who > span {
  margin-left: 8px;
}
.more {
  flex-basis: 100%;
}
</style>
