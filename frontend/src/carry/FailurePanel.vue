<script setup lang="ts">
/** A step that failed: what stands on the disks now, from where it can be done again, and what gets past it. */
import type { Failure } from "../api/carry";
import type { Change } from "../api/client";

defineProps<{ failure: Failure; of: number; took: string }>();
const emit = defineEmits<{ again: [step: number]; out: [change: Change]; end: [] }>();
</script>

<template>
  <section class="card" role="alert" aria-label="A step failed">
    <p class="muted">Step {{ failure.step }} of {{ of }} · failed after {{ took }}</p>
    <h2>Step {{ failure.step }} failed: {{ failure.words.toLowerCase() }}</h2>
    <p v-if="failure.note" class="muted">{{ failure.note }}</p>
    <p>
      <b>{{ failure.again }}</b>
    </p>
    <div class="acts">
      <a-button v-if="failure.again_from" size="large" type="primary" @click="emit('again', failure.again_from)">
        Do it again from step {{ failure.again_from }}
      </a-button>
      <a-button size="large" @click="emit('end')">End this record here</a-button>
    </div>
    <h3>What stands on the disks</h3>
    <ul class="plain-list">
      <li v-for="state in failure.states" :key="state">{{ state }}</li>
    </ul>
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
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 8px;
  box-shadow: inset 4px 0 0 var(--ink);
}
h2 {
  font-size: 20px;
  line-height: 1.25;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
}
p a {
  text-decoration: underline;
}
.plain-list {
  margin: 0;
  padding-left: 18px;
}
@media (max-width: 600px) {
  .acts > * {
    flex: 1 0 auto;
    min-height: 52px;
  }
}
</style>
