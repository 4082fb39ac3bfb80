<script setup lang="ts">
/** Figures to type, in whole MiB and in sectors, each copied by a button. */
import { ref } from "vue";
import type { Schemas } from "../api/client";

defineProps<{ figures: Schemas["FigureModel"][]; caption: string }>();
const copied = ref("");

async function copy(text: string): Promise<void> {
  try {
    await navigator.clipboard.writeText(text);
    copied.value = text;
  } catch {
    copied.value = ""; // not allowed here: the figure stands there to be read
  }
}
</script>

<template>
  <table>
    <caption class="sr-only">
      {{
        caption
      }}
    </caption>
    <tbody>
      <tr v-for="figure in figures" :key="figure.word">
        <th scope="row">{{ figure.word }}</th>
        <template
          v-for="[value, unit] in [[figure.mib, 'MiB'] as const, [figure.sectors, 'sectors'] as const]"
          :key="unit"
        >
          <td class="fig">{{ unit === "MiB" && !figure.exact ? "about " : "" }}{{ value }} {{ unit }}</td>
          <td>
            <a-button size="small" type="text" :aria-label="`Copy ${value}`" @click="copy(String(value))">
              {{ copied === String(value) ? "copied" : "copy" }}
            </a-button>
          </td>
        </template>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
table {
  font-size: 12px;
}
th {
  text-align: left;
  font-weight: 500;
  padding-right: 12px;
  white-space: nowrap;
}
td {
  text-align: right;
  white-space: nowrap;
}
</style>
