<script setup lang="ts">
/** The partitions of a surveyed disk in the order of their starts, what stands unallocated between them, and strips. */
import { computed } from "vue";
import type { Partition, Schemas, Survey } from "../api/client";
import PickOne from "./PickOne.vue";
import UsageStrip from "./UsageStrip.vue";
import { exact, percent, size } from "./units";
import { KINDS, ROLES } from "./words";

const props = defineProps<{
  survey: Survey;
  roles?: Schemas["RoleModel"][];
  gaps?: Schemas["UnallocatedModel"][];
  looks?: Schemas["LookModel"][];
  chosen?: number | null;
}>();
const emit = defineEmits<{ role: [row: number, role: Role]; choose: [row: number] }>();
const sector = computed(() => props.survey.disk.logical_sector_bytes);
const roleOf = (number: number) => props.roles?.find((role) => role.number === number);
const lookOf = (number: number) => props.looks?.find((look) => look.number === number);
const bytes = (partition: Partition) => partition.sectors * sector.value;
const largest = computed(() => Math.max(0, ...(props.survey.disk.partitions ?? []).map(bytes)));
type Role = Schemas["RoleModel"]["role"];
const ROLE_CHOICES = ROLES.map((role) => ({ value: role, label: role }));
const columns = computed(() => (props.roles ? 8 : 7));

type Line = { at: number; partition?: Partition; gap?: Schemas["UnallocatedModel"] };
const lines = computed<Line[]>(() =>
  [
    ...(props.survey.disk.partitions ?? []).map((partition) => ({ at: partition.first_lba, partition })),
    ...(props.gaps ?? []).map((gap) => ({ at: gap.first_lba, gap })),
  ].sort((a, b) => a.at - b.at),
);
const kind = (partition: Partition) => {
  const fs = partition.filesystem;
  return !fs ? "none" : fs.detail && fs.kind === "unknown" ? fs.detail : KINDS[fs.kind];
};
/** Whether its used space could be typed: it has a file system, and this table offers to put its facts right. */
const typeable = (partition: Partition) => !!props.looks && !!lookOf(partition.number) && !!partition.filesystem;
const blocked = (partition: Partition) =>
  !["clean", "unknown", undefined].includes(partition.filesystem?.state ?? "unknown");
</script>

<template>
  <div class="scroll">
    <table class="plain">
      <caption class="sr-only">
        Partitions of the disk
      </caption>
      <thead>
        <tr>
          <th scope="col">No.</th>
          <th scope="col">Name</th>
          <th scope="col">File system</th>
          <th scope="col" class="num">Size</th>
          <th scope="col" class="num">Used</th>
          <th scope="col" class="num">Full</th>
          <th scope="col">State</th>
          <th v-if="roles" scope="col">Role</th>
        </tr>
      </thead>
      <tbody v-for="line in lines" :key="line.at" :class="{ chosen: line.partition?.number === chosen }">
        <tr v-if="line.gap" class="gap">
          <td></td>
          <td :colspan="2" class="muted">unallocated</td>
          <td class="num muted" :title="exact(line.gap.bytes, sector)">{{ size(line.gap.bytes) }}</td>
          <td :colspan="columns - 4"></td>
        </tr>
        <template v-if="line.partition">
          <tr>
            <td class="fig">{{ line.partition.number }}</td>
            <td>
              <button
                v-if="looks && lookOf(line.partition.number)"
                type="button"
                class="name"
                :aria-expanded="line.partition.number === chosen"
                title="Type its used space, what cannot be moved, what need not go over"
                @click="emit('choose', line.partition.number)"
              >
                {{ line.partition.filesystem?.label || line.partition.name || "no name" }}
              </button>
              <template v-else>{{ line.partition.filesystem?.label || line.partition.name || "no name" }}</template>
              <span v-if="line.partition.logical || line.partition.flags?.length" class="muted marks">
                {{
                  [line.partition.logical ? "logical" : "", ...(line.partition.flags ?? [])].filter(Boolean).join(", ")
                }}
              </span>
            </td>
            <td>{{ kind(line.partition) }}</td>
            <td class="num" :title="exact(bytes(line.partition), sector)">{{ size(bytes(line.partition)) }}</td>
            <td class="num">
              <template v-if="line.partition.filesystem?.used_bytes != null">
                {{ size(line.partition.filesystem.used_bytes) }}
              </template>
              <button
                v-else-if="typeable(line.partition)"
                type="button"
                class="name plainly"
                :aria-label="`Not known: type the used space of partition ${line.partition.number}`"
                @click="line.partition.number !== chosen && emit('choose', line.partition.number)"
              >
                type it
              </button>
              <span v-else class="muted">not known</span>
            </td>
            <td class="num">
              {{
                line.partition.filesystem?.used_bytes == null
                  ? ""
                  : percent(line.partition.filesystem.used_bytes, bytes(line.partition))
              }}
            </td>
            <td>
              <a-tag v-if="blocked(line.partition)" class="tag mind">{{ line.partition.filesystem?.state }}</a-tag>
              <span v-else class="muted">{{
                line.partition.filesystem?.state?.replace("unknown", "not known") ?? ""
              }}</span>
            </td>
            <td v-if="roles" class="role">
              <template v-if="roleOf(line.partition.number)">
                <PickOne
                  :model-value="roleOf(line.partition.number)!.role"
                  :choices="ROLE_CHOICES"
                  :label="`Role of partition ${line.partition.number}`"
                  @update:model-value="(role) => emit('role', line.partition!.number, role)"
                />
                <a-tag v-if="roleOf(line.partition.number)?.in_doubt" class="tag mind">in doubt</a-tag>
                <span v-else-if="roleOf(line.partition.number)?.proposed" class="muted">proposed</span>
              </template>
              <span v-else class="muted">extended</span>
            </td>
          </tr>
          <tr v-for="inner in line.partition.filesystem?.inside ?? []" :key="inner.name" class="inner">
            <td></td>
            <td>
              {{ inner.name }} <span class="muted">{{ [inner.label, inner.layout].filter(Boolean).join(", ") }}</span>
            </td>
            <td>{{ KINDS[inner.kind ?? "unknown"] }}</td>
            <td class="num" :title="exact(inner.size_bytes, sector)">{{ size(inner.size_bytes) }}</td>
            <td class="num">
              <template v-if="inner.used_bytes != null">{{ size(inner.used_bytes) }}</template>
              <span v-else class="muted">not known</span>
            </td>
            <td class="num">{{ inner.used_bytes == null ? "" : percent(inner.used_bytes, inner.size_bytes) }}</td>
            <td :colspan="columns - 6" class="muted">inside {{ line.partition.number }}</td>
          </tr>
          <tr v-if="line.partition.filesystem?.usage_map || lookOf(line.partition.number)?.text" class="under">
            <td></td>
            <td :colspan="columns - 1">
              <UsageStrip
                :partition="line.partition"
                :bytes="bytes(line.partition)"
                :largest="largest"
                :look="lookOf(line.partition.number)"
              />
              <slot name="row" :partition="line.partition" :look="lookOf(line.partition.number)" />
            </td>
          </tr>
        </template>
      </tbody>
      <tbody v-if="!lines.length">
        <tr>
          <td :colspan="columns" class="muted">This disk has no partitions.</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
tbody tr:first-child:not(:last-child) td {
  border-bottom: 0;
  padding-bottom: 2px;
}
.under td {
  padding-top: 0;
}
.inner td {
  padding: 1px 10px 1px 0;
  border-bottom: 0;
  font-size: 12px;
}
.inner td:nth-child(2) {
  padding-left: 14px;
}
.gap td {
  padding: 3px 10px 3px 0;
  border-bottom-style: dashed;
}
.name {
  font: inherit;
  font-weight: 600;
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1px dotted var(--sand);
  padding: 0;
  margin-right: 6px;
  cursor: pointer;
}
.marks {
  margin-left: 6px;
}
.name + .marks {
  margin-left: 0;
}
.plainly {
  font-weight: 400;
  margin: 0;
}
.role {
  white-space: nowrap;
}
.role .muted,
.role .tag {
  margin-left: 6px;
}
</style>
