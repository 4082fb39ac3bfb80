<script setup lang="ts">
/** A page for the customer: what was done, how much room there is now, what to keep. No word of the trade. */
import { computed, toRef } from "vue";
import { useCarry } from "../api/carry";
import { useCheck } from "../api/check";
import type { Job, PlanRow, Schemas } from "../api/client";
import { size } from "../widgets/units";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: Job }>();
const { carry, trouble } = useCarry(toRef(props, "job"));
const { check } = useCheck(toRef(props, "job"));
const plan = computed(() => carry.value?.steps?.plan ?? null);
const done = computed(() => carry.value?.run?.ended_at ?? null);
const day = computed(() =>
  new Date(done.value ?? Date.now()).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" }),
);
const name = (row: PlanRow) => row.label.replace(/^\d+ /, "");
/** What the customer knows: the system and their own data. */
const own = computed(() => (plan.value?.rows ?? []).filter((row) => row.role === "system" || row.role === "data"));
const carried = computed(() => own.value.filter((row) => row.carried && row.size_bytes !== null));
const left = computed(() => own.value.filter((row) => !row.carried));
const old = computed(() => props.job.source_head?.model || "the old disk");
const fresh = computed(() => props.job.target_head?.model || "the new disk");
/** How the machine starts from the new disk, without a word of the trade. */
const STARTS: Record<Schemas["PlanStartModel"]["answer"], string> = {
  yes: "The machine starts from the new disk, with everything where it was.",
  mend: "The workshop lets the machine start from the new disk; everything else is where it was.",
  unknown: "The workshop starts the machine from the new disk once, with everything where it was.",
  no: "The machine does not start from the new disk by itself.",
  nothing: "",
};
const starts = computed(() => own.value.some((row) => row.role === "system" && row.carried));
</script>

<template>
  <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
  <article v-else-if="carry && plan">
    <h1>{{ job.machine || job.name || "Your machine" }}: the new disk</h1>
    <p class="muted">{{ [day, job.code].filter(Boolean).join(" · ") }}</p>
    <section>
      <h2>{{ done ? "What was done" : "What will be done" }}</h2>
      <p>
        The contents of {{ old }} ({{ job.source_head?.label }}) {{ done ? "were" : "will be" }} moved to
        {{ fresh }} ({{ job.target_head?.label }}).
        {{ starts ? STARTS[plan.start.answer] : "" }}
      </p>
      <p v-if="check?.as_planned">
        The new disk was looked at afterwards: everything stands where it was planned, nothing is missing.
      </p>
      <p v-else-if="check?.checks.length">
        The new disk was looked at afterwards; something is still to be put right, and the workshop knows what.
      </p>
      <p v-if="check?.closing?.note">{{ check.closing.note }}</p>
      <p v-if="left.length">
        Not moved, and still on the old disk:
        {{ left.map((row) => `${name(row)} (${size(row.source_bytes)})`).join(", ") }}.
      </p>
    </section>
    <section v-if="carried.length">
      <h2>How much room there {{ done ? "is now" : "will be" }}</h2>
      <table class="plain">
        <thead>
          <tr>
            <th scope="col">Where</th>
            <th scope="col" class="num">Size before</th>
            <th scope="col" class="num">{{ done ? "Size now" : "New size" }}</th>
            <th scope="col" class="num">{{ done ? "Free now" : "Then free" }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in carried" :key="row.number">
            <th scope="row">{{ name(row) }}</th>
            <td class="num">{{ size(row.source_bytes) }}</td>
            <td class="num">{{ size(row.size_bytes ?? 0) }}</td>
            <td class="num">{{ row.free_after_bytes === null ? "not known" : size(row.free_after_bytes) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="muted">
        A disk sold as {{ job.target_head?.label }} shows as {{ size(job.target_head?.size_bytes ?? 0, "binary") }} on
        the machine; nothing is missing.
      </p>
    </section>
    <section>
      <h2>What to keep</h2>
      <ul>
        <li>
          Keep {{ old }} as it is
          {{ check?.closing?.keep_until ? `until ${check.closing.keep_until}` : "for some weeks" }}. It is your way
          back.
        </li>
        <li v-if="starts">
          {{
            plan.target.identity === "keep"
              ? "Never attach it together with the new one: the machine cannot tell the two apart, and changes one."
              : "Do not attach it to the machine while that starts: the two could be mistaken for each other."
          }}
        </li>
        <li v-if="starts">A program may ask for its licence once more; have the key at hand.</li>
        <li>Look whether your own files open. If something is missing, say so before the old disk is wiped.</li>
      </ul>
    </section>
    <p class="sign">Workshop: ______________________ &nbsp; The old disk is kept until: ______________</p>
  </article>
  <a-spin v-else-if="!carry" tip="Reading the job" />
  <p v-else>There is no plan yet: choose the source and the target first.</p>
</template>

<style scoped>
article {
  display: grid;
  gap: 16px;
  font-size: 15px;
  line-height: 1.5;
}
h2 {
  font-size: 17px;
}
ul {
  margin: 4px 0;
  padding-left: 20px;
}
.sign {
  margin-top: 24px;
}
</style>
