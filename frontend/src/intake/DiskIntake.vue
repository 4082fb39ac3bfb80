<script setup lang="ts">
/** The ways to a survey: a disk on the bench, a listing, a few numbers, a path of this machine. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import type { Survey } from "../api/client";
import { foldersQuery } from "../api/reading";
import BenchPick from "./BenchPick.vue";
import CollectPanel from "./CollectPanel.vue";
import ListingPick from "./ListingPick.vue";
import PathPick from "./PathPick.vue";
import TypedRows from "./TypedRows.vue";

const props = defineProps<{ what: string; typed?: boolean; serial?: string; job?: number; sent?: boolean }>();
const emit = defineEmits<{ survey: [survey: Survey, words: string[]] }>();
const { data: folders } = useQuery(foldersQuery());
const way = ref<"bench" | "listing" | "numbers" | "sent" | "path">(props.sent ? "sent" : "bench");
const ways = computed(() => [
  { value: "bench", label: "On the bench" },
  { value: "listing", label: "A listing" },
  ...(props.typed ? [{ value: "numbers", label: "Only the numbers" }] : []),
  ...(props.job ? [{ value: "sent", label: "From the customer's machine" }] : []),
  ...(folders.value?.length ? [{ value: "path", label: "A path here" }] : []),
]);
const took = (survey: Survey, words: string[]) => emit("survey", survey, words);
</script>

<template>
  <div class="intake">
    <a-segmented v-model:value="way" :options="ways" :aria-label="`How to read the ${props.what}`" />
    <BenchPick v-if="way === 'bench'" :what="props.what" :serial="props.serial" @survey="took" />
    <ListingPick v-else-if="way === 'listing'" :what="props.what" @survey="took" />
    <TypedRows v-else-if="way === 'numbers'" @survey="took" />
    <CollectPanel v-else-if="way === 'sent' && props.job" :goal="{ job: props.job }" />
    <PathPick v-else :what="props.what" :folders="folders ?? []" @survey="took" />
  </div>
</template>

<style scoped>
.intake {
  display: grid;
  gap: 12px;
  grid-template-columns: minmax(0, 1fr);
  justify-items: stretch;
}
.intake > .ant-segmented {
  justify-self: start;
  max-width: 100%;
  overflow-x: auto;
}
</style>
