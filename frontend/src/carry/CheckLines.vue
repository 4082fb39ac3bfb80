<script setup lang="ts">
/** A check list: ticked off with the time; undoing a change of the plan leaves it alone. */
import type { Item } from "../api/carry";
import { moment } from "../widgets/units";

defineProps<{ title: string; items: Item[]; ticks: Record<string, string> }>();
const emit = defineEmits<{ tick: [item: string, on: boolean] }>();
</script>

<template>
  <section :aria-label="title">
    <h2>
      {{ title }}
      <span class="muted">{{ items.filter((item) => ticks[item.key]).length }} of {{ items.length }}</span>
    </h2>
    <ul>
      <li v-for="item in items" :key="item.key">
        <a-checkbox :checked="!!ticks[item.key]" @change="emit('tick', item.key, $event.target.checked)">
          <span :class="{ muted: ticks[item.key] }">{{ item.text }}</span>
        </a-checkbox>
        <span v-if="ticks[item.key]" class="fig muted">{{ moment(ticks[item.key]!) }}</span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
h2 .muted {
  font-weight: 400;
  font-size: 12px;
}
ul {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(370px, 1fr));
  column-gap: 20px;
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
}
@media (max-width: 520px) {
  ul {
    grid-template-columns: 1fr;
  }
}
li {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 2px 6px;
}
</style>
