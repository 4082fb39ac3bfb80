<script setup lang="ts">
/** Who a disk is: model, serial, both sizes, table, link, sectors. */
import { computed } from "vue";
import type { Survey } from "../api/client";
import { healthFigures } from "./health";
import { exact, size } from "./units";
import { HEALTH, LINKS } from "./words";

const props = defineProps<{ survey: Survey }>();
const disk = computed(() => props.survey.disk);
const bytes = computed(() => disk.value.sectors * disk.value.logical_sector_bytes);
const TABLES = { gpt: "GPT", mbr: "MBR", none: "no table" } as const;
const health = computed(() => {
  const told = disk.value.health;
  if (!told) return "not known";
  return [HEALTH[told.state].replace("says it is ", ""), healthFigures(told)].filter(Boolean).join(", ");
});
const facts = computed(() => [
  ["Serial", disk.value.serial || "not known"],
  ["On the label", size(bytes.value, "decimal")],
  ["Shows as", size(bytes.value, "binary")],
  ["Table", TABLES[disk.value.table ?? "none"]],
  ["Disk identity", disk.value.table_id || "not known"],
  ["Link", LINKS[disk.value.link ?? "unknown"]],
  ["Kind", disk.value.rotational == null ? "not known" : disk.value.rotational ? "mechanical" : "solid-state"],
  ["Health", health.value],
  [
    "Sectors",
    `${disk.value.sectors.toLocaleString("en")} of ${disk.value.logical_sector_bytes} B` +
      (disk.value.physical_sector_bytes ? ` (${disk.value.physical_sector_bytes})` : ""),
  ],
]);
</script>

<template>
  <div>
    <h2>{{ disk.model || "Disk without a model name" }}</h2>
    <dl :title="exact(bytes, disk.logical_sector_bytes)">
      <div v-for="[name, value] in facts" :key="name">
        <dt class="muted">{{ name }}</dt>
        <dd class="fig">{{ value }}</dd>
      </div>
    </dl>
  </div>
</template>

<style scoped>
h2 {
  font-size: 16px;
  margin-bottom: 8px;
}
dl {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(260px, 1fr));
  gap: 8px 18px;
  margin: 0;
}
dl > div {
  min-width: 0;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
