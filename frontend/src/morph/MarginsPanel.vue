<script setup lang="ts">
/** Headroom, tail reserve, grain, table, identity and where free space stands. */
import { computed, nextTick, reactive, ref, watch } from "vue";
import type { Change, Options, Plan, ProblemError, Schemas } from "../api/client";
import PickOne from "../widgets/PickOne.vue";
import { size } from "../widgets/units";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{
  plan: Plan;
  options: Options;
  refused: ProblemError | null;
  change: (body: Change) => Promise<boolean>;
}>();

/** What is typed; each is an option of the job under the same name. */
const FIELDS = [
  { kind: "headroom", label: "Headroom in %", usual: "15" },
  { kind: "headroom-system", label: "System rows at least", usual: "5 GiB" },
  { kind: "headroom-data", label: "Data rows at least", usual: "512 MiB" },
  { kind: "tail", label: "Kept empty at the end", usual: "none" },
  { kind: "grain", label: "Grain", usual: "1 MiB" },
] as const;
type OptionKind = Schemas["SetOptionChange"]["kind"];
type Field = (typeof FIELDS)[number]["kind"];
const written = (value: number | string | null | undefined) =>
  typeof value === "number" ? size(value, "binary") : (value ?? "");
const given = computed<Record<Field, string>>(() => ({
  headroom: String(props.plan.headroom_percent),
  "headroom-system": written(props.options.headroom_system),
  "headroom-data": written(props.options.headroom_data),
  tail: written(props.options.tail),
  grain: size(props.plan.grain_bytes, "binary"),
}));
const fields = reactive({ ...given.value });
/** Only what was set is written anew; what is being typed in another field stays. */
watch(given, (now, before) => {
  for (const { kind } of FIELDS) if (now[kind] !== before[kind]) fields[kind] = now[kind];
});
const box = ref<HTMLDetailsElement>();
const open = ref(false); // shut, its fields cost nothing while an edge is drawn
const headroomField = ref<{ focus: () => void } | null>(null);
/** Opens the panel where the headroom is typed. */
async function focusHeadroom(): Promise<void> {
  open.value = true;
  await nextTick();
  headroomField.value?.focus();
}
defineExpose({ focusHeadroom });
const set = (kind: OptionKind, value: string | number) => void props.change({ kind, value });
const places = computed(() => [
  { value: 0, label: "the last row" },
  ...props.plan.rows.filter((row) => row.carried).map((row) => ({ value: row.number, label: row.label })),
]);
const TABLES = [
  { value: "keep", label: "as on the source" },
  { value: "gpt", label: "GPT" },
  { value: "mbr", label: "MBR" },
];
const MODES = [
  { value: "unknown", label: "not known" },
  { value: "uefi", label: "UEFI" },
  { value: "legacy", label: "legacy" },
];
const IDENTITIES = [
  { value: "as-needed", label: "as needed" },
  { value: "keep", label: "the source's" },
  { value: "new", label: "a new one" },
];
/** What is chosen from a list, likewise. */
interface Pick {
  kind: OptionKind;
  label: string;
  choices: { value: string | number; label: string }[];
  given: string | number;
}
const PICKS = computed<Pick[]>(() => [
  {
    kind: "free-after",
    label: "Free space after",
    choices: places.value,
    given: Number(props.options.free_after ?? 0),
  },
  { kind: "table", label: "Table of the target", choices: TABLES, given: props.options.table ?? "keep" },
  { kind: "identity", label: "Identity", choices: IDENTITIES, given: props.options.identity ?? "as-needed" },
  { kind: "firmware", label: "Firmware starts in", choices: MODES, given: props.options.firmware ?? "unknown" },
]);
</script>

<template>
  <details ref="box" class="card" :open="open" @toggle="open = !!box?.open">
    <summary>Margins and table</summary>
    <div v-if="open" class="fields">
      <template v-for="field in FIELDS" :key="field.kind">
        <label :for="field.kind">{{ field.label }}</label>
        <a-input
          :id="field.kind"
          :ref="(input: unknown) => field.kind === 'headroom' && (headroomField = input as typeof headroomField)"
          v-model:value="fields[field.kind]"
          class="fig"
          size="small"
          :placeholder="field.usual"
          @press-enter="set(field.kind, fields[field.kind])"
          @blur="field.kind === 'headroom' && fields.headroom !== given.headroom && set('headroom', fields.headroom)"
        />
      </template>
      <template v-for="pick in PICKS" :key="pick.kind">
        <label :for="pick.kind">{{ pick.label }}</label>
        <PickOne
          :id="pick.kind"
          :model-value="pick.given"
          :choices="pick.choices"
          @update:model-value="(value) => set(pick.kind, value || '')"
        />
      </template>
    </div>
    <TroubleLine v-if="refused">{{ refused.message }}</TroubleLine>
    <p v-else-if="open" class="muted">Press Enter to set.</p>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  font-weight: 600;
}
.fields {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 6px 10px;
  align-items: center;
  margin: 10px 0 6px;
}
</style>
