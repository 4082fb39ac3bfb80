<script setup lang="ts">
/** Jobs, each a line with its morph in small; on a telephone each a card. What follows is read as one comes near. */
import { useIntersectionObserver } from "@vueuse/core";
import { ref, watch } from "vue";
import { useRouter } from "vue-router";
import type { JobLine } from "../api/client";
import { STAGES } from "../stages";
import LineMenu from "../widgets/LineMenu.vue";
import MiniMorph from "../widgets/MiniMorph.vue";
import { moment } from "../widgets/units";
import { FIT_NAMES, verdictName } from "../widgets/words";
import { ACTS, type Act } from "./acts";

const props = defineProps<{ jobs: JobLine[]; more: boolean; reading: boolean }>();
const emit = defineEmits<{ act: [what: Act, job: JobLine]; more: [] }>();
const router = useRouter();
const end = ref<HTMLElement | null>(null);
const near = ref(false);
useIntersectionObserver(end, ([entry]) => (near.value = !!entry?.isIntersecting), { rootMargin: "600px" });
// A page may hold few lines of those that are asked for: then the next one follows at once.
watch([near, () => props.jobs, () => props.reading], () => near.value && props.more && !props.reading && emit("more"));
const today = new Date().toISOString().slice(0, 10);
</script>

<template>
  <div class="card list">
    <table class="plain" role="table">
      <caption class="sr-only">
        Jobs, the last changed first
      </caption>
      <thead role="rowgroup">
        <tr role="row">
          <th scope="col" role="columnheader">Morph</th>
          <th scope="col" role="columnheader">Job</th>
          <th scope="col" role="columnheader">From</th>
          <th scope="col" role="columnheader">To</th>
          <th scope="col" role="columnheader">Verdict</th>
          <th scope="col" role="columnheader">Stage</th>
          <th scope="col" role="columnheader">Changed</th>
          <th scope="col" role="columnheader"><span class="sr-only">What to do</span></th>
        </tr>
      </thead>
      <tbody role="rowgroup">
        <tr v-for="job in jobs" :key="job.id" role="row" @click="router.push(`/jobs/${job.id}/${job.stage}`)">
          <td role="cell"><MiniMorph :job="job" /></td>
          <td role="cell">
            <router-link :to="`/jobs/${job.id}/${job.stage}`" class="title" @click.stop>
              {{ job.name || "Unnamed job" }}
            </router-link>
            <div class="muted">{{ [job.code, job.machine].filter(Boolean).join(" · ") }}</div>
          </td>
          <td role="cell">
            <template v-if="job.source">
              {{ job.source.model || "Disk" }}
              <div class="muted fig">{{ job.source.label }}</div>
            </template>
            <span v-else-if="!job.broken" class="muted">not read yet</span>
          </td>
          <td role="cell">
            <template v-if="job.target">
              {{ job.target.model || "Any disk" }}
              <div class="muted fig">{{ job.target.label }}</div>
            </template>
            <span v-else-if="!job.broken" class="muted">not chosen yet</span>
          </td>
          <td role="cell">
            <template v-if="job.broken">
              <a-tag class="tag stop">cannot be read</a-tag>
              <div class="muted" :title="job.broken">{{ job.broken.slice(0, 60) }}</div>
            </template>
            <template v-else-if="job.verdict">
              <b>{{ verdictName(job.verdict) }}</b>
              <div class="muted">{{ job.fit ? FIT_NAMES[job.fit] : "" }}</div>
            </template>
            <span v-else class="muted">open</span>
          </td>
          <td role="cell">
            {{
              job.broken ? "" : job.closed ? (job.closed === "done" ? "Closed" : "Given up") : STAGES[job.stage].name
            }}
            <div v-if="job.keep_until && job.keep_until <= today"><a-tag class="tag mind">old disk can go</a-tag></div>
            <div v-if="job.at_step" class="muted">
              {{ job.at_step > (job.of_steps ?? 0) ? "every step done" : `step ${job.at_step} of ${job.of_steps}` }}
            </div>
          </td>
          <td role="cell" class="muted">{{ moment(job.changed_at) }}</td>
          <td role="cell" @click.stop>
            <LineMenu
              :label="`What to do with ${job.code} ${job.name}`"
              :items="job.broken ? ACTS.slice(2) : ACTS"
              @choose="(what) => emit('act', what, job)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="more" ref="end" class="more">
      <a-button size="small" :loading="reading" @click="emit('more')">Show more</a-button>
    </p>
  </div>
</template>

<style scoped>
.list {
  position: relative;
  padding: 6px 16px;
  overflow-x: auto;
}
tbody tr {
  cursor: pointer;
}
tbody tr:hover {
  background: var(--chosen);
}
tbody tr:last-child td {
  border-bottom: 0;
}
.more {
  padding: 8px 0;
}
.title {
  color: var(--ink);
  font-weight: 600;
}
/* On a telephone each job is a card of its own: its name, its verdict, from and to, where it stands. The roles are
   written out, since a table that is laid out otherwise is none to a screen reader. */
@media (max-width: 600px) {
  thead {
    position: absolute;
    clip-path: inset(50%);
  }
  td:first-child {
    display: none;
  }
  tbody tr {
    display: grid;
    grid-template-columns: minmax(0, 1fr) max-content;
    gap: 2px 12px;
    padding: 10px 0;
    border-bottom: 1px solid var(--line);
  }
  tbody td {
    padding: 0 !important;
    border: 0 !important;
  }
  td:nth-child(2) {
    grid-row: 1;
    grid-column: 1;
  }
  td:nth-child(5),
  td:nth-child(6) {
    grid-column: 2;
    text-align: right;
  }
  td:nth-child(5) {
    grid-row: 1;
  }
  td:nth-child(6) {
    grid-row: 2 / span 2;
  }
  td:nth-child(3),
  td:nth-child(4) {
    grid-column: 1;
  }
  td:nth-child(3) > *,
  td:nth-child(4) > * {
    display: inline;
  }
  td:nth-child(4)::before {
    content: "→ ";
  }
  td:nth-child(7) {
    grid-column: 1;
  }
  td:nth-child(8) {
    grid-column: 2;
    text-align: right;
  }
}
</style>
