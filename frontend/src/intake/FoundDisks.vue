<script setup lang="ts">
/** The disks of a listing, of which one is chosen; and why others cannot be used. */
import type { Found, Reading } from "../api/reading";
import { counted, size } from "../widgets/units";

defineProps<{ reading: Reading }>();
const emit = defineEmits<{ choose: [found: Found] }>();
const bytes = (found: Found) => found.survey.disk.sectors * found.survey.disk.logical_sector_bytes;
</script>

<template>
  <ul>
    <li v-for="found in reading.found" :key="found.name">
      <a-button size="small" @click="emit('choose', found)">{{ found.name || "Use it" }}</a-button>
      {{ found.survey.disk.model || "no model name" }}
      <span class="muted">{{ found.survey.disk.serial || "serial not known" }}</span>
      <span class="fig">{{ size(bytes(found), "decimal") }}</span>
      <span class="muted">{{ counted(found.survey.disk.partitions?.length ?? 0, "partition") }}</span>
    </li>
  </ul>
  <p v-for="line in reading.unreadable" :key="line" class="muted">Not usable: {{ line }}.</p>
</template>

<style scoped>
ul {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
  display: grid;
  gap: 5px;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
}
</style>
