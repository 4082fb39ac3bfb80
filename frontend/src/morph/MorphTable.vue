<script setup lang="ts">
/** The morph as a table, for screen readers and for printing; open it to read exact figures. */
import { ref } from "vue";
import type { Action, Change, Plan, PlanRow } from "../api/client";
import { exact, size } from "../widgets/units";

const props = defineProps<{ plan: Plan; chosen: number | null; change: (body: Change) => Promise<boolean> }>();
const emit = defineEmits<{ choose: [row: number] }>();
/** Made only when it is open: each step of a drag would make all of it anew. */
const open = ref(false);
const CHANGES = {
  shrinks: "shrinks",
  grows: "grows",
  holds: "same size",
  left: "left behind",
  made: "made new",
} as const;

/** What can be done with a row, in the order in which it is offered. */
function actions(row: PlanRow): { name: string; body: Change }[] {
  const own = { row: row.number };
  const every: { name: string; action: Action; body: Change }[] = [
    { name: "Take the pin out", action: "unpin", body: { kind: "unpin", ...own } },
    { name: "Pin", action: "pin", body: { kind: "pin", ...own, size: `${row.size_bytes}B` } },
    { name: "Hold", action: "hold", body: { kind: "hold", ...own } },
    { name: "Let it go", action: "release", body: { kind: "release", ...own } },
    { name: "Rest here", action: "grow", body: { kind: "grow", ...own } },
    { name: "Up", action: "up", body: { kind: "move", ...own, places: -1 } },
    { name: "Down", action: "down", body: { kind: "move", ...own, places: 1 } },
    { name: "Leave behind", action: "leave", body: { kind: "leave", rows: [row.number] } },
    { name: "Carry again", action: "carry", body: { kind: "carry", ...own } },
  ];
  const offered = every.filter(({ action }) => !row.actions[action]);
  return offered.filter(({ action }) => action !== "pin" || (!row.pinned && row.size_bytes !== null));
}
</script>

<template>
  <details class="twin" @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary>The same as a table</summary>
    <div v-if="open" class="scroll">
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
            <th scope="col" class="no-print">Actions</th>
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
            <td class="no-print acts">
              <a-button
                v-for="action in actions(row)"
                :key="action.name"
                size="small"
                type="text"
                :aria-label="`${action.name}: ${row.label}`"
                @click="props.change(action.body)"
              >
                {{ action.name }}
              </a-button>
            </td>
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
.acts {
  white-space: nowrap;
}
.acts .ant-btn {
  padding: 0 5px;
}
</style>
