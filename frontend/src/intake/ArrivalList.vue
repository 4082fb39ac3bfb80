<script setup lang="ts">
/** What customers' machines sent for this job and waits: which disk is it, or is it not wanted? */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import type { Survey } from "../api/client";
import { arrivalsQuery, forgetArrival, type Arrival } from "../api/collect";
import type { Found } from "../api/reading";
import { moment } from "../widgets/units";
import FoundDisks from "./FoundDisks.vue";
import { recognised } from "./words";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: number }>();
const emit = defineEmits<{ survey: [survey: Survey, words: string[]] }>();
const queries = useQueryClient();
const { data: arrivals } = useQuery(computed(() => arrivalsQuery(props.job)));
const trouble = ref("");

async function forget(arrival: Arrival): Promise<void> {
  try {
    await forgetArrival(props.job, arrival.id);
    await queries.invalidateQueries({ queryKey: ["arrivals", props.job] });
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}
async function use(arrival: Arrival, found: Found): Promise<void> {
  if (arrival.reading)
    emit("survey", found.survey, [`Sent by ${arrival.machine || "a machine"}.`, ...recognised(arrival.reading, found)]);
  await forget(arrival);
}
</script>

<template>
  <section v-if="arrivals?.length" class="card" aria-label="Arrived">
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <div v-for="arrival in arrivals" :key="arrival.id" class="arrival" role="status">
      <div class="line">
        <b>Arrived from {{ arrival.machine || "a machine" }}</b>
        <span class="muted">{{ moment(arrival.arrived_at) }}</span>
        <a-button
          size="small"
          type="text"
          :aria-label="`Not wanted: what ${arrival.machine} sent`"
          @click="forget(arrival)"
        >
          Not wanted
        </a-button>
      </div>
      <template v-if="arrival.reading">
        <p>
          {{
            arrival.reading.found.length > 1
              ? `${arrival.reading.found.length} disks. Which one is the source?`
              : "Take this disk as the source:"
          }}
        </p>
        <FoundDisks :reading="arrival.reading" @choose="(found) => use(arrival, found)" />
      </template>
      <p v-else><a-tag class="tag stop">stop</a-tag> {{ arrival.trouble }}</p>
    </div>
  </section>
</template>

<style scoped>
.card,
.arrival {
  display: grid;
  gap: 6px;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
}
.line .ant-btn {
  margin-left: auto;
}
</style>
