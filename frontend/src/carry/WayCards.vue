<script setup lang="ts">
/** The ways, each with its time on one common axis, what it needs and what it leaves by hand. */
import { computed } from "vue";
import type { Way } from "../api/carry";
import { size } from "../widgets/units";
import { duration, marks, onAxis } from "./times";

const props = defineProps<{
  ways: Way[];
  way: string | null;
  proposed: string | null;
  running: boolean;
  timesFrom: string;
  wide: string;
}>();
const emit = defineEmits<{ way: [key: Way["key"]] }>();

const bounds = computed(() => {
  const known = props.ways.flatMap((way) => (way.possible && way.seconds ? [way.seconds] : []));
  return [
    Math.min(...known.map(([low]) => low ?? 1), 1e9),
    Math.max(...known.map(([, high]) => high ?? 1), 1),
  ] as const;
});
/** All in one row; fewer than five stay as narrow as five. */
const columns = computed(() => Math.max(5, props.ways.length));
const place = (seconds: number) => onAxis(seconds, ...bounds.value) * 100;
const ticks = computed(() => marks(...bounds.value));
const bytes = (value: number | null) => (value === null ? "not known" : size(value));
const room = (value: number) => (value ? size(value) : "none");
/** What a copier of one's own and what our script read, write and take for the same way (rule 13.2b). */
const figures = (one: Way) => [
  { name: "Read", copier: bytes(one.read_bytes), script: bytes(one.script?.read_bytes ?? null) },
  { name: "Written", copier: bytes(one.write_bytes), script: bytes(one.script?.write_bytes ?? null) },
  { name: "Workspace", copier: room(one.workspace_bytes), script: room(one.script?.workspace_bytes ?? 0) },
];
</script>

<template>
  <div class="cards" role="group" aria-label="Ways">
    <button
      v-for="(one, index) in ways"
      :key="one.key"
      type="button"
      class="way"
      :class="{ on: one.key === way, off: !one.possible }"
      :aria-pressed="one.key === way"
      :disabled="!one.possible || running"
      :title="one.what"
      @click="emit('way', one.key)"
    >
      <span class="top">
        <b>{{ one.name }}</b>
        <kbd>{{ index + 1 }}</kbd>
      </span>
      <template v-if="one.possible">
        <span class="fig time" :title="`This range: ${timesFrom}`">{{ one.time }}</span>
        <span v-if="one.key === way && wide" class="why"><a-tag class="tag">wide</a-tag> {{ wide }}</span>
        <span v-else-if="one.key === way" class="why muted">{{ timesFrom }}</span>
        <svg v-if="one.seconds" class="axis" viewBox="0 0 100 10" preserveAspectRatio="none" aria-hidden="true">
          <path class="line" d="M0 5h100" />
          <path v-for="mark in ticks" :key="mark" class="mark" :d="`M${place(mark)} 1v8`">
            <title>{{ duration(mark) }}</title>
          </path>
          <rect
            class="range"
            :x="place(one.seconds[0] ?? 0)"
            y="2.5"
            :width="Math.max(1.5, place(one.seconds[1] ?? 0) - place(one.seconds[0] ?? 0))"
            height="5"
          />
        </svg>
        <span class="why muted">{{ one.key === proposed ? "Proposed: " : "" }}{{ one.why }}</span>
        <table>
          <thead>
            <tr>
              <td></td>
              <th scope="col">a copier</th>
              <th v-if="one.script" scope="col">our script</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="line in figures(one)" :key="line.name">
              <th scope="row">{{ line.name }}</th>
              <td class="fig">{{ line.copier }}</td>
              <td v-if="one.script" class="fig">{{ line.script }}</td>
            </tr>
          </tbody>
        </table>
        <dl>
          <template v-if="one.script">
            <dt>By script</dt>
            <dd class="fig">{{ one.script.time }}</dd>
          </template>
          <dt>Source</dt>
          <dd>{{ one.changes_source ? "changed" : "only read" }}</dd>
          <dt>By hand</dt>
          <dd>{{ one.by_hand }}</dd>
        </dl>
      </template>
      <template v-else>
        <a-tag class="tag">not possible</a-tag>
        <span class="why muted">{{ one.why }}</span>
      </template>
    </button>
  </div>
</template>

<style scoped>
.cards {
  display: grid;
  grid-template-columns: repeat(v-bind(columns), minmax(0, 1fr));
  gap: 8px;
}
.way {
  display: grid;
  gap: 3px;
  align-content: start;
  justify-items: start;
  text-align: left;
  font: inherit;
  line-height: 1.3;
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--line);
  border-radius: 8px;
  padding: 8px 10px;
  cursor: pointer;
}
.way.on {
  border-color: var(--ink);
  box-shadow: inset 0 0 0 1px var(--ink);
}
.way:disabled {
  cursor: default;
}
.way.off {
  background: none;
  border-style: dashed;
}
.top {
  display: flex;
  justify-content: space-between;
  width: 100%;
}
.time {
  font-size: 15px;
}
.axis {
  width: 100%;
  height: 10px;
}
.axis .line {
  stroke: var(--line);
}
.axis .mark {
  stroke: var(--sand);
  stroke-width: 0.6;
}
.axis .range {
  fill: var(--holds);
}
.way.on .axis .range {
  fill: var(--action);
}
.why {
  font-size: 12px;
}
table {
  width: 100%;
  margin-top: 4px;
  font-size: 12px;
  border-collapse: collapse;
}
table th {
  font-weight: 400;
  color: var(--muted);
  text-align: left;
}
table td,
table th {
  padding: 0 4px 0 0;
  vertical-align: top;
  white-space: nowrap;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0 8px;
  margin: 4px 0 0;
  font-size: 12px;
}
dt {
  color: var(--muted);
}
dd {
  margin: 0;
}
@media (max-width: 980px) {
  .cards {
    grid-template-columns: 1fr;
  }
}
</style>
