<script setup lang="ts">
/** Every step is done: how long it took, and what comes next. */
import type { Run } from "../api/carry";
import { moment } from "../widgets/units";

defineProps<{ job: number; run: Run; open: number }>();
</script>

<template>
  <section class="card present" aria-label="Every step is done">
    <h2>Carried out</h2>
    <p>
      {{ run.steps.length }} steps<template v-if="run.took"> in {{ run.took }}</template
      >, the last one {{ moment(run.ended_at ?? run.begun_at) }}.
      <template v-if="open">{{ open }} of the lines below under Afterwards are still open.</template>
    </p>
    <p class="no-print">
      <router-link v-slot="{ navigate }" :to="`/jobs/${job}/check`" custom>
        <a-button size="large" type="primary" @click="navigate">Check back</a-button>
      </router-link>
    </p>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 8px;
  box-shadow: inset 4px 0 0 var(--grows);
}
h2 {
  font-size: 20px;
  line-height: 1.25;
}
</style>
