<script setup lang="ts">
/** Findings with level, sentence and what to do. */
import type { Finding } from "../api/client";

defineProps<{ findings: Finding[] }>();
const emit = defineEmits<{ choose: [row: number] }>();
</script>

<template>
  <ul v-if="findings.length" class="lines">
    <li v-for="finding in findings" :key="`${finding.code}${finding.row}`">
      <a-tag class="tag" :class="finding.level">{{ finding.level }}</a-tag>
      <div>
        <button v-if="finding.row !== null" type="button" class="text" @click="emit('choose', finding.row)">
          {{ finding.text }}
        </button>
        <b v-else>{{ finding.text }}</b>
        <p class="muted">
          {{ finding.do }}
          <router-link :to="`/guide?code=${finding.code}`" class="rule no-print" :aria-label="`rule ${finding.code}`">
            rule
          </router-link>
        </p>
      </div>
    </li>
  </ul>
</template>
