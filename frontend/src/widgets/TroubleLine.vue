<script setup lang="ts">
/** What was refused or failed (``stop``), or has to be known first (``mind``), in one sentence that is heard at once. */
const { level = "stop" } = defineProps<{ level?: "stop" | "mind" }>();
</script>

<template>
  <a-alert :type="level === 'stop' ? 'error' : 'warning'">
    <template #message>
      <a-tag class="tag" :class="level">{{ level }}</a-tag> <slot />
    </template>
  </a-alert>
</template>
