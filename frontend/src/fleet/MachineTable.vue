<script setup lang="ts">
/** The machines of a fleet on one model: the work of the screen. Lines are chosen for jobs. */
import { Checkbox, type TableColumnType, type TableProps } from "ant-design-vue";
import type { CheckboxChangeEvent } from "ant-design-vue/es/checkbox/interface";
import { computed, h } from "vue";
import type { Filter, Fleet, Machine, SortKey } from "../api/buy";
import { size } from "../widgets/units";
import { FIT_NAMES, spaced, verdictName } from "../widgets/words";
import { paged } from "./paged";

const props = defineProps<{ fleet: Fleet; machines: Machine[]; count: number; filter: Filter; chosen: Set<number> }>();
const emit = defineEmits<{ sort: [key: SortKey]; page: [start: number]; choose: [ids: number[], on: boolean] }>();
type Column = TableColumnType<Machine>;
const { sorting, pages, changed } = paged<Machine, SortKey>(
  () => props.filter,
  () => props.count,
  (key) => emit("sort", key),
  (start) => emit("page", start),
);
const FIGURE: Column = { align: "right", customCell: () => ({ class: "fig" }) };
const columns = computed<Column[]>(() => [
  sorting("name", "Machine"),
  sorting("used", "Used", FIGURE),
  sorting("need", "Needs", FIGURE),
  sorting("verdict", "Verdict"),
  sorting("free", "Free for the system", FIGURE),
  { key: "why", title: "Why, and what would help" },
  ...(props.fleet.targets.length > 1
    ? [{ key: "others", title: "On the others", customCell: () => ({ class: "others" }) }]
    : []),
]);
const all = computed(() => props.machines.length > 0 && props.machines.every((line) => props.chosen.has(line.id)));
const selection = computed<TableProps<Machine>["rowSelection"]>(() => ({
  selectedRowKeys: [...props.chosen],
  columnTitle: h(Checkbox, {
    "aria-label": "Choose every machine of this page",
    checked: all.value,
    onChange: (event: CheckboxChangeEvent) =>
      emit(
        "choose",
        props.machines.map((line) => line.id),
        event.target.checked,
      ),
  }),
  // The attribute goes through to the box, though the type does not name it.
  getCheckboxProps: (line: Machine) => ({ "aria-label": `Choose ${line.name}` }) as object,
  onSelect: (line: Machine, on: boolean) => emit("choose", [line.id], on),
}));
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
</script>

<template>
  <a-table
    size="small"
    row-key="id"
    :aria-label="`Machines on ${fleet.targets[filter.target]?.name}`"
    :columns="columns"
    :data-source="machines"
    :row-selection="selection"
    :pagination="pages"
    :scroll="{ x: 900 }"
    @change="changed"
  >
    <template #bodyCell="{ column, record: line }">
      <template v-if="column.key === 'name'">
        <b :title="line.origin">{{ line.name }}</b>
        <div class="muted fig">{{ line.serial }} {{ size(line.source_bytes, "decimal") }}</div>
      </template>
      <template v-else-if="column.key === 'used'">
        {{ line.used_bytes === null ? "?" : size(line.used_bytes) }}
        <div v-if="line.before" class="muted">{{ grown(line as Machine) }}</div>
      </template>
      <template v-else-if="column.key === 'need'">
        {{ line.need_bytes === null ? "–" : size(line.need_bytes, "decimal") }}
      </template>
      <template v-else-if="column.key === 'verdict'">
        <b>{{ verdictName(line.verdict) }}</b>
        <div class="muted">{{ FIT_NAMES[(line as Machine).fit] }}</div>
      </template>
      <template v-else-if="column.key === 'free'">
        {{ line.system_free_bytes === null ? "" : size(line.system_free_bytes) }}
      </template>
      <template v-else-if="column.key === 'why'">
        {{ line.reason }}
        <div v-if="line.remedy" class="muted">{{ line.remedy }}</div>
      </template>
      <template v-else-if="column.key === 'others'">
        <span v-for="words in elsewhere(line as Machine)" :key="words">{{ words }}</span>
      </template>
    </template>
  </a-table>
</template>

<style scoped>
:deep(.fig) {
  white-space: nowrap;
}
:deep(.others) {
  color: var(--muted);
  font-size: 12px;
  line-height: 1.3;
}
:deep(.others) span {
  display: block;
}
</style>
