<script setup lang="ts">
/** A card of one line that says what is in it, and opens; open or shut of itself until somebody chose. */
import { computed, ref } from "vue";

const props = defineProps<{ name: string; line?: string; open?: boolean }>();
const chosen = ref<boolean | null>(null);
const shown = computed(() => chosen.value ?? props.open ?? false);
</script>

<template>
  <section class="card" :class="{ shut: !shown }" :aria-label="name">
    <h2>
      <button type="button" :aria-expanded="shown" @click="chosen = !shown">
        <b>{{ name }}</b>
        <span class="muted">{{ line }}</span>
        <span class="turn muted" aria-hidden="true">{{ shown ? "−" : "+" }}</span>
      </button>
    </h2>
    <div v-if="shown" class="inside"><slot /></div>
    <slot name="always" />
  </section>
</template>

<style scoped>
.shut {
  padding-block: 7px;
}
button {
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
b {
  white-space: nowrap;
}
.muted {
  min-width: 0;
  font-size: 13px;
  font-weight: 400;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.turn {
  margin-left: auto;
}
.inside {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  margin-top: 8px;
}
</style>
