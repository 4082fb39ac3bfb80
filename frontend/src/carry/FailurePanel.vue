<script setup lang="ts">
/** A step that failed: what stands on the disks now, from where it can be done again, and what gets past it. */
import type { Failure } from "../api/carry";
import type { Change } from "../api/client";

defineProps<{ failure: Failure }>();
const emit = defineEmits<{ again: [step: number]; out: [change: Change]; end: [] }>();
</script>

<template>
  <section class="card" role="alert" aria-label="A step failed">
    <h2>Step {{ failure.step }} failed: {{ failure.words.toLowerCase() }}</h2>
    <p v-if="failure.note" class="muted">{{ failure.note }}</p>
    <ul class="plain-list">
      <li v-for="state in failure.states" :key="state">{{ state }}</li>
    </ul>
    <p>
      <b>{{ failure.again }}</b>
      <a-button v-if="failure.again_from" size="small" @click="emit('again', failure.again_from)">
        Do it again from step {{ failure.again_from }}
      </a-button>
    </p>
    <template v-if="failure.ways_out.length">
      <h3>What would get past it</h3>
      <ul class="lines">
        <li v-for="out in failure.ways_out" :key="out.text">
          <div>
            {{ out.text }} <span class="fig muted">{{ out.time }}</span>
          </div>
          <a-button size="small" :aria-label="`Do it: ${out.text}`" @click="emit('out', out.change)">Do it</a-button>
        </li>
      </ul>
    </template>
    <p>
      Read what stands on the target now: <router-link to="check">Check back</router-link> works out the shortest way to
      the plan from there.
    </p>
    <p><a-button size="small" @click="emit('end')">End this record here</a-button></p>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 8px;
}
b {
  margin-right: 10px;
}
.plain-list {
  margin: 0;
  padding-left: 18px;
}
</style>
