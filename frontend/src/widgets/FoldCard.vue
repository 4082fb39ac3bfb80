<script setup lang="ts">
/** A card of one line that says what is in it, and opens; open or shut of itself until somebody chose. */
import { computed, ref } from "vue";

const props = defineProps<{ name: string; line?: string; open?: boolean }>();
const chosen = ref<boolean | null>(null);
const shown = computed(() => chosen.value ?? props.open ?? false);
</script>

<template>
  <section class="card" :class="{ shut: !shown }" :aria-label="name">
    <button class="head" type="button" :aria-expanded="shown" @click="chosen = !shown">
      <h2>{{ name }}</h2>
      <span class="muted">{{ line }}</span>
      <span class="turn muted" aria-hidden="true">{{ shown ? "−" : "+" }}</span>
    </button>
    <div v-if="shown" class="inside"><slot /></div>
    <slot name="always" />
  </section>
</template>

<style scoped>
.shut {
  padding-block: 7px;
}
.head {
  display: flex;
  gap: 10px;
  align-items: baseline;
  width: 100%;
  font: inherit;
  color: inherit;
  text-align: left;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
.head h2 {
  white-space: nowrap;
}
.head .muted {
  min-width: 0;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.head .turn {
  margin-left: auto;
}
.inside {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  margin-top: 8px;
}
</style>
