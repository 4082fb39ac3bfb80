<script setup lang="ts">
/** The machines of a fleet on one model: the work of the screen. Lines are chosen for jobs. */
import { computed } from "vue";
import type { Filter, Fleet, Machine, SortKey } from "../api/buy";
import { PAGE } from "../api/buy";
import { size } from "../widgets/units";
import { FIT_NAMES, spaced, verdictName } from "../widgets/words";

const props = defineProps<{ fleet: Fleet; machines: Machine[]; count: number; filter: Filter; chosen: Set<number> }>();
const emit = defineEmits<{ sort: [key: SortKey]; page: [start: number]; choose: [ids: number[], on: boolean] }>();
const COLUMNS: readonly (readonly [SortKey, string, string])[] = [
  ["name", "Machine", ""],
  ["used", "Used", "num"],
  ["need", "Needs", "num"],
  ["verdict", "Verdict", ""],
  ["free", "Free for the system", "num"],
];
const all = computed(() => props.machines.length > 0 && props.machines.every((line) => props.chosen.has(line.id)));
const sorted = (key: SortKey) => (props.filter.sort !== key ? "none" : props.filter.down ? "descending" : "ascending");
function grown(line: Machine): string {
  if (!line.before || line.used_bytes === null || line.before.used_bytes === null) return "";
  const by = line.used_bytes - line.before.used_bytes;
  return `${by < 0 ? "−" : "+"}${size(Math.abs(by))} since ${line.before.taken.slice(0, 10)}`;
}
/** The other models by verdict, the worst first; one word where all are alike. */
function elsewhere(line: Machine): string[] {
  const groups = new Map<string, string[]>();
  for (const [place, target] of props.fleet.targets.entries()) {
    if (place === props.filter.target) continue;
    const word = verdictName(line.verdicts[place] ?? null).toLowerCase();
    groups.set(word, [...(groups.get(word) ?? []), spaced(target.name)]);
  }
  if (groups.size === 1) return [`all ${[...groups.keys()][0]}`];
  const worst = ["does not fit", "tight", "comfortable"];
  return [...groups]
    .sort((a, b) => worst.indexOf(a[0]) - worst.indexOf(b[0]))
    .map(([word, names]) => `${word}: ${names.join(", ")}`);
}
const checked = (event: Event) => (event.target as HTMLInputElement).checked;
</script>

<template>
  <div class="table">
    <table class="plain">
      <caption class="sr-only">
        Machines on
        {{
          fleet.targets[filter.target]?.name
        }}
      </caption>
      <thead>
        <tr>
          <th scope="col">
            <input
              type="checkbox"
              :checked="all"
              aria-label="Choose every machine of this page"
              @change="
                emit(
                  'choose',
                  machines.map((line) => line.id),
                  checked($event),
                )
              "
            />
          </th>
          <th v-for="[key, word, kind] in COLUMNS" :key="key" scope="col" :class="kind" :aria-sort="sorted(key)">
            <button @click="emit('sort', key)">
              {{ word
              }}<span aria-hidden="true">{{ { none: "", ascending: " ↑", descending: " ↓" }[sorted(key)] }}</span>
            </button>
          </th>
          <th scope="col">Why, and what would help</th>
          <th v-if="fleet.targets.length > 1" scope="col">On the others</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="line in machines" :key="line.id">
          <td>
            <input
              type="checkbox"
              :checked="chosen.has(line.id)"
              :aria-label="`Choose ${line.name}`"
              @change="emit('choose', [line.id], checked($event))"
            />
          </td>
          <td>
            <b :title="line.origin">{{ line.name }}</b>
            <div class="muted fig">{{ line.serial }} {{ size(line.source_bytes, "decimal") }}</div>
          </td>
          <td class="num">
            {{ line.used_bytes === null ? "?" : size(line.used_bytes) }}
            <div v-if="line.before" class="muted">{{ grown(line) }}</div>
          </td>
          <td class="num">{{ line.need_bytes === null ? "–" : size(line.need_bytes, "decimal") }}</td>
          <td>
            <b>{{ verdictName(line.verdict) }}</b>
            <div class="muted">{{ FIT_NAMES[line.fit] }}</div>
          </td>
          <td class="num">{{ line.system_free_bytes === null ? "" : size(line.system_free_bytes) }}</td>
          <td>
            {{ line.reason }}
            <div v-if="line.remedy" class="muted">{{ line.remedy }}</div>
          </td>
          <td v-if="fleet.targets.length > 1" class="others">
            <span v-for="words in elsewhere(line)" :key="words">{{ words }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <div v-if="count > PAGE" class="pages">
      <a-button size="small" :disabled="filter.start === 0" @click="emit('page', filter.start - PAGE)">Before</a-button>
      <span class="fig">{{ filter.start + 1 }} to {{ Math.min(count, filter.start + PAGE) }} of {{ count }}</span>
      <a-button size="small" :disabled="filter.start + PAGE >= count" @click="emit('page', filter.start + PAGE)">
        Next
      </a-button>
    </div>
  </div>
</template>

<style scoped>
.table {
  position: relative;
  overflow-x: auto;
}
.others {
  color: var(--muted);
  font-size: 12px;
  line-height: 1.3;
}
.others span {
  display: block;
}
.pages {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 8px 0;
}
</style>
