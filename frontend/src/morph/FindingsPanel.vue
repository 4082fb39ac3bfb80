<script setup lang="ts">
/** What is worth knowing, the gravest first, and where nothing fits, what would mend it. */
import { computed } from "vue";
import type { Plan, Remedy } from "../api/client";
import FindingList from "../widgets/FindingList.vue";
import { verdictName } from "../widgets/words";

const props = defineProps<{ plan: Plan }>();
const emit = defineEmits<{ choose: [row: number]; mend: [remedy: Remedy]; tryOut: [remedy: Remedy | null] }>();

const counts = computed(() =>
  (["stop", "mind", "note"] as const)
    .map((level) => [props.plan.findings.filter((finding) => finding.level === level).length, level] as const)
    .filter(([count]) => count)
    .map(([count, level]) => `${count} ${level}${count > 1 ? "s" : ""}`)
    .join(" · "),
);
</script>

<template>
  <section v-if="plan.remedies.length" class="card" aria-label="Remedies">
    <div class="head">
      <h2>{{ plan.verdict === "does-not-fit" ? "What would make it fit" : "What would let it start" }}</h2>
    </div>
    <ul class="lines">
      <li
        v-for="(remedy, index) in plan.remedies"
        :key="index"
        @pointerenter="emit('tryOut', remedy)"
        @pointerleave="emit('tryOut', null)"
        @focusin="emit('tryOut', remedy)"
        @focusout="emit('tryOut', null)"
      >
        <div>
          {{ remedy.text }} <span class="muted">Then: {{ verdictName(remedy.verdict_after).toLowerCase() }}.</span>
        </div>
        <a-button v-if="remedy.change" size="small" :aria-label="`Do it: ${remedy.text}`" @click="emit('mend', remedy)">
          Do it
        </a-button>
      </li>
    </ul>
  </section>
  <section id="findings" class="card" aria-label="Findings">
    <div class="head">
      <h2>Findings</h2>
      <span class="muted">{{ counts || "none" }}</span>
    </div>
    <p v-if="!plan.findings.length" class="muted">Nothing stands against this plan.</p>
    <FindingList :findings="plan.findings" @choose="(row) => emit('choose', row)" />
  </section>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
</style>
