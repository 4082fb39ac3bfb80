<script setup lang="ts">
/** The morph as a table, for screen readers and for printing; open it to read exact figures. */
import type { Plan } from "../api/client";
import { exact, size } from "../widgets/units";

defineProps<{ plan: Plan; chosen: number | null }>();
const emit = defineEmits<{ choose: [row: number] }>();
const CHANGES = {
  shrinks: "shrinks",
  grows: "grows",
  holds: "same size",
  left: "left behind",
  made: "made new",
} as const;
</script>

<template>
  <details class="twin">
    <summary>The same as a table</summary>
    <div class="scroll">
      <table class="plain">
        <caption class="sr-only">
          Every row on the source and on the target
        </caption>
        <thead>
          <tr>
            <th scope="col">Row</th>
            <th scope="col">Role</th>
            <th scope="col" class="num">Was</th>
            <th scope="col" class="num">Used</th>
            <th scope="col" class="num">Floor</th>
            <th scope="col" class="num">Comfort</th>
            <th scope="col" class="num">Will be</th>
            <th scope="col" class="num">Free</th>
            <th scope="col">Change</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in plan.rows" :key="row.number" :aria-current="row.number === chosen || undefined">
            <th scope="row">
              <a-button type="link" size="small" @click="emit('choose', row.number)">{{ row.label }}</a-button>
            </th>
            <td>{{ row.role }}</td>
            <td class="num" :title="exact(row.source_bytes)">{{ size(row.source_bytes) }}</td>
            <td class="num">{{ row.used_bytes === null ? "not known" : size(row.used_bytes) }}</td>
            <td class="num">{{ row.hard_floor_bytes === null ? "" : size(row.hard_floor_bytes) }}</td>
            <td class="num">{{ row.comfort_floor_bytes === null ? "" : size(row.comfort_floor_bytes) }}</td>
            <td class="num" :title="row.size_bytes === null ? '' : exact(row.size_bytes)">
              {{ row.size_bytes === null ? "" : size(row.size_bytes) }}
            </td>
            <td class="num">{{ row.free_after_bytes === null ? "" : size(row.free_after_bytes) }}</td>
            <td>{{ CHANGES[row.change] }}{{ row.pinned ? ", pinned" : "" }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </details>
</template>

<style scoped>
.twin {
  padding: 6px 10px 0;
}
summary {
  cursor: pointer;
  color: var(--muted);
}
.scroll {
  overflow-x: auto;
}
</style>
