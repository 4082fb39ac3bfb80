<script setup lang="ts" generic="T extends string">
/** What can be done with one line, behind one button: opened by click or Enter, left by Escape, walked by arrows. */
import { onClickOutside } from "@vueuse/core";
import { nextTick, ref } from "vue";

defineProps<{ label: string; text?: string; items: readonly { key: T; text: string }[] }>();
const emit = defineEmits<{ choose: [key: T] }>();
const open = ref(false);
const box = ref<HTMLElement | null>(null);
const opener = ref<HTMLButtonElement | null>(null);
onClickOutside(box, () => (open.value = false));

async function flip(): Promise<void> {
  open.value = !open.value;
  await nextTick();
  if (open.value) entries()[0]?.focus();
}
const entries = () => [...(box.value?.querySelectorAll<HTMLButtonElement>("[role=menuitem]") ?? [])];
function step(by: number): void {
  const all = entries();
  const at = all.indexOf(document.activeElement as HTMLButtonElement);
  all[(at + by + all.length) % all.length]?.focus();
}
function close(): void {
  open.value = false;
  opener.value?.focus();
}
function choose(key: T): void {
  close();
  emit("choose", key);
}
</script>

<template>
  <div
    ref="box"
    class="menu"
    @keydown.esc.stop="close"
    @keydown.down.prevent="step(1)"
    @keydown.up.prevent="step(-1)"
    @click.stop
  >
    <button ref="opener" type="button" aria-haspopup="menu" :aria-expanded="open" :aria-label="label" @click="flip">
      {{ text ?? "⋯" }}
    </button>
    <div v-if="open" role="menu" :aria-label="label">
      <button v-for="item in items" :key="item.key" type="button" role="menuitem" @click="choose(item.key)">
        {{ item.text }}
      </button>
    </div>
  </div>
</template>

<style scoped>
.menu {
  position: relative;
}
button {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  border-radius: 6px;
  padding: 2px 10px;
  cursor: pointer;
}
.menu > button {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
button:hover {
  background: var(--chosen);
}
[role="menu"] {
  position: absolute;
  z-index: 5;
  right: 0;
  top: 100%;
  display: grid;
  min-width: 150px;
  width: max-content;
  padding: 4px;
  background: var(--card);
  border: 1px solid var(--sand);
  border-radius: 8px;
  box-shadow: 0 4px 14px rgb(0 0 0 / 12%);
}
[role="menuitem"] {
  text-align: left;
  padding: 5px 10px;
}
</style>
