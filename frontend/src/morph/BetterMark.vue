<script setup lang="ts">
/** Tells the better of two figures of a line. */
defineProps<{ on: boolean }>();
</script>

<template>
  <span v-if="on" class="better" title="the better of the two"><span class="sr-only">better: </span>◂</span>
</template>

<style scoped>
.better {
  color: var(--grows);
  margin-right: 5px;
}
</style>
