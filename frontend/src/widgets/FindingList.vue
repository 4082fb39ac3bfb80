<script setup lang="ts">
/** Findings with level, sentence and what to do. */
import type { Finding } from "../api/client";

defineProps<{ findings: Finding[] }>();
const emit = defineEmits<{ choose: [row: number] }>();
</script>

<template>
  <ul>
    <li v-for="finding in findings" :key="`${finding.code}${finding.row}`">
      <span class="tag" :class="finding.level">{{ finding.level }}</span>
      <div>
        <button v-if="finding.row !== null" type="button" class="text" @click="emit('choose', finding.row)">
          {{ finding.text }}
        </button>
        <b v-else>{{ finding.text }}</b>
        <p class="muted">{{ finding.do }}</p>
      </div>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  gap: 8px;
  align-items: flex-start;
  padding: 8px 0;
  border-bottom: 1px solid var(--line);
}
li:last-child {
  border-bottom: 0;
  padding-bottom: 0;
}
li > div {
  flex: 1;
  min-width: 0;
  line-height: 1.35;
}
.text {
  font: inherit;
  font-weight: 600;
  color: var(--ink);
  text-align: left;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
</style>
