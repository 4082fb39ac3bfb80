<script setup lang="ts">
/** A disk from a few numbers: Tab and Enter move on, a block from a spreadsheet can be pasted, roles are proposed. */
import { useDebounceFn } from "@vueuse/core";
import { computed, reactive, ref, shallowRef, watch } from "vue";
import { ProblemError, type Survey } from "../api/client";
import { readTyped, type Reading, type TypedTable } from "../api/reading";
import PickOne from "../widgets/PickOne.vue";
import { size, units } from "../widgets/units";
import { ROLES } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const emit = defineEmits<{ survey: [survey: Survey, words: string[]] }>();
const COLUMNS = ["size", "used", "filesystem", "label"] as const;
const HEADS = { size: "Size", used: "Used", filesystem: "File system", label: "Name" } as const;
const HINTS = { size: "420 GiB", used: "131 GiB, 31 % or 289 free", filesystem: "NTFS", label: "" } as const;
type Row = { size: string; used: string; filesystem: string; label: string; role: string };
const blank = (): Row => ({ size: "", used: "", filesystem: "", label: "", role: "" });

const rows = reactive<Row[]>([blank(), blank(), blank()]);
const disk = ref("");
const table = ref<"gpt" | "mbr">("gpt");
const answer = shallowRef<Reading | null>(null);
const trouble = shallowRef<ProblemError | null>(null);
const grid = ref<HTMLTableSectionElement>();
const TABLES = [
  { value: "gpt", label: "GPT" },
  { value: "mbr", label: "MBR" },
] as const;
const ROLE_CHOICES = [{ value: "", label: "proposed" }, ...ROLES.map((role) => ({ value: role, label: role }))];

const filled = computed(() => rows.map((row, place) => ({ row, place })).filter(({ row }) => written(row)));
const written = (row: Row) => COLUMNS.some((column) => row[column].trim());
/** A blank row always stands at the end, so that Enter finds it at once, however quickly one types. */
watch(
  () => rows.slice(-1).every(written),
  (full) => full && rows.push(blank()),
  { flush: "sync", immediate: true },
);
const bare = computed(() => (units.value === "decimal" ? "gb" : "gib"));
const found = computed(() => answer.value?.found[0]);
/** The role that the last answer proposes for each row that was written. */
const proposed = computed(() => {
  const roles = answer.value?.roles ?? [];
  return new Map(filled.value.slice(0, roles.length).map(({ place }, at) => [place, roles[at] || "to be chosen"]));
});

function body(): TypedTable {
  const typed = filled.value.map(({ row }) => ({ ...row, number: "" }));
  return { rows: typed, size: disk.value, table: table.value, bare: bare.value };
}

let round = 0;
const ask = useDebounceFn(async () => {
  const mine = ++round;
  if (!filled.value.length) {
    answer.value = trouble.value = null;
    return;
  }
  try {
    const read = await readTyped(body());
    if (mine === round) [answer.value, trouble.value] = [read, null];
  } catch (error) {
    if (mine === round) trouble.value = error as ProblemError; // the last good answer stays
  }
}, 150);

/** Where the refusal belongs: the row on the screen and the column. */
const wrong = computed(() => {
  const match = /^rows\[(\d+)\]\.(\w+)$/.exec(trouble.value?.problem.at ?? "");
  const place = match ? filled.value[Number(match[1])]?.place : undefined;
  return match && place !== undefined ? `${place}.${match[2]}` : "";
});
const sentence = computed(() => {
  const problem = trouble.value?.problem;
  if (!problem) return "";
  const place = wrong.value ? `Row ${Number(wrong.value.split(".")[0]) + 1}: ` : "";
  return `${place}${problem.detail}. ${problem.mend.charAt(0).toUpperCase()}${problem.mend.slice(1)}.`;
});

function focus(row: number, column: number): void {
  grid.value?.querySelectorAll("tr")[row]?.querySelectorAll<HTMLInputElement>("input")[column]?.focus();
}
function pasteBlock(event: ClipboardEvent, row: number, column: number): void {
  const text = event.clipboardData?.getData("text") ?? "";
  if (!/[\t\n]/.test(text.trim())) return;
  event.preventDefault();
  text
    .replace(/\r/g, "")
    .trim()
    .split("\n")
    .forEach((line, down) => {
      while (rows.length <= row + down) rows.push(blank());
      line.split("\t").forEach((cell, right) => {
        const name = COLUMNS[column + right];
        const target = rows[row + down];
        if (name && target) target[name] = cell.trim();
      });
    });
  void ask();
}
async function use(): Promise<void> {
  try {
    const read = await readTyped(body());
    const only = read.found[0];
    if (only) emit("survey", only.survey, only.missing);
  } catch (error) {
    trouble.value = error as ProblemError;
  }
}
</script>

<template>
  <form class="typed" @submit.prevent="use" @input="ask()" @keydown.ctrl.enter.prevent="use">
    <p class="muted">
      Size and used space are enough; a number alone is {{ units === "decimal" ? "GB" : "GiB" }}. Tab goes on, Enter
      begins a row, Ctrl+Enter takes the table. A block from a spreadsheet can be pasted.
    </p>
    <div class="scroll">
      <table class="plain">
        <caption class="sr-only">
          Partitions as typed
        </caption>
        <thead>
          <tr>
            <th scope="col">Row</th>
            <th v-for="column in COLUMNS" :key="column" scope="col">{{ HEADS[column] }}</th>
            <th scope="col">Role</th>
          </tr>
        </thead>
        <tbody ref="grid">
          <tr v-for="(row, place) in rows" :key="place">
            <td class="fig muted">{{ place + 1 }}</td>
            <td v-for="(column, across) in COLUMNS" :key="column">
              <input
                v-model="row[column]"
                :class="{ fig: across < 2, wrong: wrong === `${place}.${column}` }"
                :aria-label="`${HEADS[column]} of row ${place + 1}`"
                :aria-invalid="wrong === `${place}.${column}`"
                :placeholder="place === 0 ? HINTS[column] : ''"
                maxlength="60"
                autocomplete="off"
                spellcheck="false"
                @keydown.enter.exact.prevent="focus(place + 1, 0)"
                @paste="pasteBlock($event, place, across)"
              />
            </td>
            <td class="role">
              <PickOne
                v-model="row.role"
                :choices="ROLE_CHOICES"
                :label="`Role of row ${place + 1}`"
                @update:model-value="ask()"
              />
              <span v-if="!row.role && proposed.has(place)" class="muted">{{ proposed.get(place) }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <div class="disk">
      <label>Disk <input v-model="disk" class="fig" placeholder="1000GB, if known" maxlength="40" /></label>
      <PickOne v-model="table" :choices="TABLES" label="Partition table" @update:model-value="ask()" />
      <span v-if="found" class="muted">
        {{ size(found.survey.disk.sectors * found.survey.disk.logical_sector_bytes, "decimal") }} on the label
      </span>
      <a-button type="primary" html-type="submit" :disabled="!filled.length">Use these numbers</a-button>
    </div>
    <TroubleLine v-if="sentence">{{ sentence }}</TroubleLine>
    <p v-for="line in found?.missing ?? []" :key="line" class="muted">{{ line }}</p>
  </form>
</template>

<style scoped>
.typed {
  display: grid;
  gap: 8px;
}
.scroll {
  overflow-x: auto;
}
td {
  padding: 3px 8px 3px 0 !important;
  border: 0 !important;
}
input {
  font-size: 13px;
  width: 100%;
  min-width: 90px;
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--line);
  border-radius: 6px;
  padding: 4px 8px;
}
input:not(.fig) {
  font-family: inherit;
}
input.wrong {
  border-color: var(--action);
  border-width: 2px;
}
input::placeholder {
  color: var(--muted);
  opacity: 0.75;
}
.role {
  white-space: nowrap;
}
.role .muted {
  margin-left: 8px;
}
.disk {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
}
.disk label {
  display: flex;
  gap: 8px;
  align-items: center;
}
.disk input {
  width: 170px;
}
.disk .ant-btn {
  margin-left: auto;
}
</style>
