<script setup lang="ts">
/** The partitions of a surveyed disk, each with its usage strip. */
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
}>();
const emit = defineEmits<{ role: [row: number, role: string] }>();
const sector = computed(() => props.survey.disk.logical_sector_bytes);
const partitions = computed(() => props.survey.disk.partitions ?? []);
const roleOf = (number: number) => props.roles?.find((role) => role.number === number);
const bytes = (partition: Partition) => partition.sectors * sector.value;
const ROLE_CHOICES = ROLES.map((role) => ({ value: role, label: role }));
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
          <th scope="col">Where data lies</th>
          <th scope="col">State</th>
          <th v-if="roles" scope="col">Role</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="partition in partitions" :key="partition.number">
          <td class="fig">{{ partition.number }}</td>
          <td>
            {{ partition.filesystem?.label || partition.name || "no name" }}
            <div v-if="partition.logical || partition.flags?.length" class="muted">
              {{ [partition.logical ? "logical" : "", ...(partition.flags ?? [])].filter(Boolean).join(", ") }}
            </div>
          </td>
          <td>{{ partition.filesystem ? KINDS[partition.filesystem.kind] : "none" }}</td>
          <td class="num" :title="exact(bytes(partition), sector)">{{ size(bytes(partition)) }}</td>
          <td class="num">
            {{ partition.filesystem?.used_bytes == null ? "not known" : size(partition.filesystem.used_bytes) }}
          </td>
          <td class="num">
            {{
              partition.filesystem?.used_bytes == null ? "" : percent(partition.filesystem.used_bytes, bytes(partition))
            }}
          </td>
          <td><UsageStrip :partition="partition" :bytes="bytes(partition)" /></td>
          <td>
            <span
              v-if="partition.filesystem?.state && !['clean', 'unknown'].includes(partition.filesystem.state)"
              class="tag mind"
            >
              {{ partition.filesystem.state }}
            </span>
            <span v-else class="muted">{{ partition.filesystem?.state ?? "" }}</span>
          </td>
          <td v-if="roles">
            <template v-if="roleOf(partition.number)">
              <PickOne
                :model-value="roleOf(partition.number)!.role"
                :choices="ROLE_CHOICES"
                :label="`Role of partition ${partition.number}`"
                @update:model-value="(role) => emit('role', partition.number, role)"
              />
              <div v-if="roleOf(partition.number)?.in_doubt" class="muted">in doubt</div>
              <div v-else-if="roleOf(partition.number)?.proposed" class="muted">proposed</div>
            </template>
            <span v-else class="muted">extended</span>
          </td>
        </tr>
        <tr v-if="!partitions.length">
          <td colspan="9" class="muted">This disk has no partitions.</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
</style>
