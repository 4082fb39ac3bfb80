<script setup lang="ts">
/** Headroom, tail reserve, grain, table and where free space stands. */
import { computed, reactive, ref, watch } from "vue";
import type { Change, Options, Plan, ProblemError } from "../api/client";
import PickOne from "../widgets/PickOne.vue";
import { size } from "../widgets/units";

const props = defineProps<{
  plan: Plan;
  options: Options;
  refused: ProblemError | null;
  change: (body: Change) => Promise<boolean>;
}>();

const fields = reactive({ headroom: "", system: "", data: "", tail: "", grain: "" });
const written = (value: unknown) => (typeof value === "number" ? size(value, "binary") : String(value ?? ""));
watch(
  () => [props.options, props.plan] as const,
  () => {
    const { tail, headroom_system: system, headroom_data: data } = props.options;
    fields.headroom = String(props.plan.headroom_percent);
    fields.system = written(system);
    fields.data = written(data);
    fields.tail = written(tail);
    fields.grain = size(props.plan.grain_bytes, "binary");
  },
  { immediate: true },
);
const box = ref<HTMLDetailsElement>();
const headroomField = ref<{ focus: () => void } | null>(null);
/** Opens the panel where the headroom is typed. */
function focusHeadroom(): void {
  if (box.value) box.value.open = true;
  headroomField.value?.focus();
}
defineExpose({ focusHeadroom });
const set = (kind: string, value: string | number) => void props.change({ kind, value });
const places = computed(() => [
  { value: 0, label: "the last row" },
  ...props.plan.rows.filter((row) => row.carried).map((row) => ({ value: row.number, label: row.label })),
]);
const MODES = [
  { value: "unknown", label: "not known" },
  { value: "uefi", label: "UEFI" },
  { value: "legacy", label: "legacy" },
];
const TABLES = [
  { value: "keep", label: "as on the source" },
  { value: "gpt", label: "GPT" },
  { value: "mbr", label: "MBR" },
];
</script>

<template>
  <details ref="box" class="card">
    <summary>Margins and table</summary>
    <div class="fields">
      <label for="headroom">Headroom in %</label>
      <a-input
        id="headroom"
        ref="headroomField"
        v-model:value="fields.headroom"
        class="fig"
        size="small"
        @press-enter="set('headroom', fields.headroom)"
        @blur="fields.headroom !== String(plan.headroom_percent) && set('headroom', fields.headroom)"
      />
      <label for="least-system">System rows at least</label>
      <a-input
        id="least-system"
        v-model:value="fields.system"
        class="fig"
        size="small"
        placeholder="5 GiB"
        @press-enter="set('headroom-system', fields.system)"
      />
      <label for="least-data">Data rows at least</label>
      <a-input
        id="least-data"
        v-model:value="fields.data"
        class="fig"
        size="small"
        placeholder="512 MiB"
        @press-enter="set('headroom-data', fields.data)"
      />
      <label for="tail">Kept empty at the end</label>
      <a-input
        id="tail"
        v-model:value="fields.tail"
        class="fig"
        size="small"
        placeholder="none"
        @press-enter="set('tail', fields.tail)"
      />
      <label for="grain">Grain</label>
      <a-input
        id="grain"
        v-model:value="fields.grain"
        class="fig"
        size="small"
        @press-enter="set('grain', fields.grain)"
      />
      <label for="free">Free space after</label>
      <PickOne
        id="free"
        :model-value="Number(options.free_after ?? 0)"
        :choices="places"
        @update:model-value="(row) => set('free-after', row || '')"
      />
      <label for="table">Table of the target</label>
      <PickOne
        id="table"
        :model-value="String(options.table ?? 'keep')"
        :choices="TABLES"
        @update:model-value="(table) => set('table', table)"
      />
      <label for="firmware">Firmware starts in</label>
      <PickOne
        id="firmware"
        :model-value="String(options.firmware ?? 'unknown')"
        :choices="MODES"
        @update:model-value="(mode) => set('firmware', mode)"
      />
    </div>
    <p v-if="refused" role="alert" class="refused">{{ refused.message }}</p>
    <p v-else class="muted">Press Enter to set.</p>
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
.refused {
  color: var(--action);
}
</style>
