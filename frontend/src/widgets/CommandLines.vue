<script setup lang="ts">
/** Commands to type, each copied by a button. */
import { useCopy } from "./clipboard";

defineProps<{ commands: string[]; caption: string }>();
const { copied, copy } = useCopy();
</script>

<template>
  <ul :aria-label="caption">
    <li v-for="command in commands" :key="command">
      <code>{{ command }}</code>
      <a-button size="small" type="text" :aria-label="`Copy ${command}`" @click="copy(command)">
        {{ copied === command ? "copied" : "copy" }}
      </a-button>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 4px 0;
  padding: 0;
}
code {
  font:
    11px "IBM Plex Mono",
    monospace; /* prettier-ignore */
  overflow-wrap: anywhere;
}
</style>
