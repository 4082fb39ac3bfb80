<script setup lang="ts">
/** Headroom, tail reserve, grain, table and where free space stands. */
import { reactive, watch } from "vue";
import type { Change, Plan } from "../api/client";
import { size } from "../widgets/units";

const props = defineProps<{
  plan: Plan;
  options: Record<string, unknown>;
  change: (body: Change) => Promise<boolean>;
}>();

const fields = reactive({ headroom: "", tail: "", grain: "" });
watch(
  () => [props.options, props.plan] as const,
  () => {
    const { tail, grain, headroom } = props.options;
    fields.headroom = String(headroom ?? 15);
    fields.tail = typeof tail === "number" ? size(tail, "binary") : String(tail ?? "");
    fields.grain = size(Number(grain ?? 1024 ** 2), "binary");
  },
  { immediate: true },
);
const set = (kind: string, value: string | number) => void props.change({ kind, value });
const TABLES = [
  { value: "keep", label: "as on the source" },
  { value: "gpt", label: "GPT" },
  { value: "mbr", label: "MBR" },
];
</script>

<template>
  <details class="card">
    <summary>Margins and table</summary>
    <div class="fields">
      <label for="headroom">Headroom in %</label>
      <a-input
        id="headroom"
        v-model:value="fields.headroom"
        class="fig"
        size="small"
        @press-enter="set('headroom', fields.headroom)"
        @blur="fields.headroom !== String(options.headroom ?? 15) && set('headroom', fields.headroom)"
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
      <a-select
        id="free"
        size="small"
        :value="(options.free_after as number | undefined) ?? 0"
        :options="[
          { value: 0, label: 'the last row' },
          ...plan.rows.filter((row) => row.carried).map((row) => ({ value: row.number, label: row.label })),
        ]"
        @change="(row: unknown) => set('free-after', Number(row) || '')"
      />
      <label for="table">Table of the target</label>
      <a-select
        id="table"
        size="small"
        :value="String(options.table ?? 'keep')"
        :options="TABLES"
        @change="(table: unknown) => set('table', String(table))"
      />
    </div>
    <p class="muted">Press Enter to set.</p>
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
