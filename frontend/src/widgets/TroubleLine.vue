<script setup lang="ts">
/** What was refused or failed, in its one sentence; heard at once by a screen reader. */
</script>

<template>
  <a-alert type="error">
    <template #message><span class="tag stop">stop</span> <slot /></template>
  </a-alert>
</template>
