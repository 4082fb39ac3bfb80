<script setup lang="ts">
/** Figures to type, in whole MiB and in sectors, each copied by a button. */
import type { Schemas } from "../api/client";
import { useCopy } from "./clipboard";

defineProps<{ figures: Schemas["FigureModel"][]; caption: string }>();
const { copied, copy } = useCopy();
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
