<script setup lang="ts">
/** The gravest finding beside the verdict, always in sight, with how many there are of each level. */
import { computed } from "vue";
import type { Finding, Job, Plan } from "../api/client";

const props = defineProps<{ plan: Plan; job: Job }>();
const emit = defineEmits<{ choose: [finding: Finding] }>();
const LEVELS = ["stop", "mind", "note"] as const;

const gravest = computed(() =>
  LEVELS.flatMap((level) => props.plan.findings.filter((finding) => finding.level === level)).at(0),
);
const onTarget = computed(() => props.job.target_findings.some((finding) => finding.code === gravest.value?.code));
const counts = computed(() =>
  LEVELS.map((level) => [props.plan.findings.filter((finding) => finding.level === level).length, level] as const)
    .filter(([count]) => count)
    .map(([count, level]) => `${count} ${level}${count > 1 ? "s" : ""}`)
    .join(" · "),
);
</script>

<template>
  <p v-if="gravest" class="gravest">
    <a-tag class="tag" :class="gravest.level">{{ gravest.level }}</a-tag>
    <router-link v-if="onTarget" :to="`/jobs/${job.id}/target`" :title="gravest.do">{{ gravest.text }}</router-link>
    <button v-else type="button" :title="gravest.do" @click="emit('choose', gravest)">{{ gravest.text }}</button>
    <span class="muted counts">{{ counts }}</span>
  </p>
</template>

<style scoped>
.gravest {
  display: flex;
  gap: 8px;
  align-items: baseline;
  min-width: 0;
}
a,
button {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
button {
  font: inherit;
  color: var(--ink);
  text-align: left;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
a {
  color: var(--ink);
  text-decoration: underline;
}
.counts {
  margin-left: auto;
  white-space: nowrap;
}
</style>
