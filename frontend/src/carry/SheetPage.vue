<script setup lang="ts">
/** The work sheet on screen and on paper: disks, rows with exact figures, steps and lists with boxes. */
import { computed, toRef } from "vue";
import { handOver, useCarry } from "../api/carry";
import type { Job } from "../api/client";
import { size } from "../widgets/units";
import { KINDS } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: Job }>();
const { carry, trouble } = useCarry(toRef(props, "job"));
const steps = computed(() => carry.value?.steps ?? null);
const script = computed(() => steps.value?.ways.find((way) => way.key === steps.value?.way)?.script ?? null);
const list = (when: "before" | "after") => steps.value?.lists.filter((item) => item.when === when) ?? [];
const disks = computed(() => [props.job.source_head, props.job.target_head]);
const MIB = 1024 ** 2;
const mib = (bytes: number | null) =>
  bytes === null ? "" : (bytes / MIB).toLocaleString("en", { maximumFractionDigits: 3 });
</script>

<template>
  <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
  <article v-else-if="carry && steps">
    <h1>{{ [job.name || "Work sheet", job.code, job.machine].filter(Boolean).join(" · ") }}</h1>
    <p>
      <b>{{ carry.headline }}</b>
    </p>
    <p v-if="script">By our script: {{ script.words }}</p>
    <p>{{ steps.plan.start.head }}. {{ steps.plan.start.text }}</p>
    <div class="disks">
      <p v-for="(disk, index) in disks" :key="index">
        <span class="muted">{{ index ? "Target" : "Source" }}</span><br />
        <b>{{ disk?.model || "not named" }}</b> · serial {{ disk?.serial || "not known" }}<br />
        {{ disk?.label }}, shows as {{ size(disk?.size_bytes ?? 0, "binary") }}
      </p>
    </div>
    <img :src="handOver(job.id, 'morph.svg')" alt="Source and target to scale; the rows stand in the table below" />
    <h2>Rows</h2>
    <div class="scroll">
      <table class="plain">
        <thead>
          <tr>
            <th scope="col">Row</th>
            <th scope="col">Kind</th>
            <th scope="col">What</th>
            <th scope="col" class="num">Was</th>
            <th scope="col" class="num">Will be</th>
            <th scope="col" class="num">MiB</th>
            <th scope="col" class="num">First sector</th>
            <th scope="col" class="num">Sectors</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in steps.plan.rows" :key="row.number">
            <th scope="row">{{ row.label }}</th>
            <td>{{ KINDS[row.kind] }}</td>
            <td>{{ row.change === "left" ? "left behind" : row.change === "made" ? "made new" : row.change }}</td>
            <td class="num">{{ size(row.source_bytes) }}</td>
            <td class="num">{{ row.size_bytes === null ? "" : size(row.size_bytes) }}</td>
            <td class="num">{{ mib(row.size_bytes) }}</td>
            <td class="num">{{ row.first_lba }}</td>
            <td class="num">{{ row.sectors }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <template v-if="steps.plan.findings.length">
      <h2>To beware of</h2>
      <p v-for="(finding, index) in steps.plan.findings" :key="index">
        <b>{{ finding.level }}</b> {{ finding.text }} {{ finding.do }}
      </p>
    </template>
    <h2>Before</h2>
    <ul class="boxes two">
      <li v-for="item in list('before')" :key="item.key">{{ item.text }}</li>
    </ul>
    <h2>Steps</h2>
    <ol class="boxes">
      <li v-for="step in steps.steps" :key="step.number">
        <span class="fig time">{{ step.time }}</span>
        {{ step.number }}. {{ step.say }}
        <div v-if="step.figures.length" class="fig small">
          <span v-for="figure in step.figures" :key="figure.word">
            {{ figure.word }} {{ figure.exact ? "" : "about " }}{{ figure.mib }} MiB ({{ figure.sectors }} sectors)
          </span>
        </div>
      </li>
    </ol>
    <h2>Afterwards</h2>
    <ul class="boxes two">
      <li v-for="item in list('after')" :key="item.key">{{ item.text }}</li>
    </ul>
  </article>
  <a-spin v-else tip="Working out the steps" />
</template>

<style scoped>
article {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 6px;
  font-size: 12px;
}
h2 {
  margin-top: 8px;
  border-bottom: 1px solid var(--line);
}
.disks {
  display: grid;
  grid-template-columns: 1fr 1fr;
}
.scroll {
  overflow-x: auto;
}
img {
  width: 70%;
}
.boxes {
  list-style: none;
  margin: 0;
  padding: 0;
}
.boxes.two {
  columns: 2;
}
.boxes li {
  position: relative;
  padding: 1px 0 1px 20px;
  break-inside: avoid;
}
.boxes li::before {
  content: "";
  position: absolute;
  left: 2px;
  top: 4px;
  width: 10px;
  height: 10px;
  border: 1.2px solid var(--ink);
}
.time {
  float: right;
}
.small span {
  margin-right: 14px;
}
</style>
