<script setup lang="ts" generic="T extends string | number">
/** A choice of one: the browser's own select, which keyboards, phones and screen readers know. */
const props = defineProps<{ choices: readonly { value: T; label: string }[]; label?: string }>();
const value = defineModel<T>({ required: true });

function pick(event: Event): void {
  const choice = props.choices[(event.target as HTMLSelectElement).selectedIndex];
  if (choice) value.value = choice.value;
}
</script>

<template>
  <select :aria-label="label" :value="value" @change="pick">
    <option v-for="choice in choices" :key="choice.value" :value="choice.value">{{ choice.label }}</option>
  </select>
</template>

<style scoped>
select {
  font: inherit;
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--sand);
  border-radius: 6px;
  padding: 2px 4px;
  max-width: 100%;
}
</style>
