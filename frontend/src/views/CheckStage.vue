<script setup lang="ts">
/** Check back: the finished disk against the plan, what to do about each difference, and the end of the job. */
import { computed, ref, toRef } from "vue";
import { useRouter } from "vue-router";
import { useCheck } from "../api/check";
import type { Job } from "../api/client";
import type { JobStore } from "../api/jobs";
import ClosingForm from "../check/ClosingForm.vue";
import PairMorph from "../check/PairMorph.vue";
import DiskIntake from "../intake/DiskIntake.vue";
import FiguresTable from "../widgets/FiguresTable.vue";
import PickOne from "../widgets/PickOne.vue";
import { moment } from "../widgets/units";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: Job; store: JobStore }>();
const router = useRouter();
const bench = useCheck(toRef(props, "job"));
const { check, trouble, refused, doubtful, unfinished, number } = bench;
const reading = ref(false);
const chosen = ref<number | null>(null);

const head = computed(() => {
  if (!check.value?.checks.length) return "Check back";
  if (check.value.as_planned) return check.value.differences.length ? "As planned, with notes" : "As planned";
  const count = check.value.differences.filter((one) => one.level !== "note").length;
  return count === 1 ? "1 difference from the plan" : `${count} differences from the plan`;
});
const times = computed(() =>
  (check.value?.checks ?? []).map((one) => ({
    value: one.number,
    label: `${moment(one.made_at)}: ${one.as_planned ? "as planned" : `${one.differences} differences`}`,
  })),
);
async function take(survey: Parameters<typeof bench.compare>[0]): Promise<void> {
  await bench.compare(survey);
  if (!refused.value && !doubtful.value) reading.value = false;
}
/** The steps from what was found to the plan, in one go instead of difference by difference. */
async function finish(): Promise<void> {
  if (await props.store.change({ kind: "way", way: "finish" }, "page"))
    await router.push(`/jobs/${props.job.id}/carry`);
}
async function sure(): Promise<void> {
  if (!doubtful.value) return;
  await bench.compare(doubtful.value.survey, true);
  reading.value = false;
}
</script>

<template>
  <section v-if="trouble && !check" class="card missing" role="alert">
    <p>{{ trouble }}</p>
    <p><a-button size="small" @click="bench.load()">Try again</a-button></p>
  </section>
  <a-spin v-else-if="!check" class="missing" tip="Reading the checks" />
  <section v-else-if="check.trouble" class="card missing">
    <h1>Check back</h1>
    <p>There is nothing to compare a disk with yet: {{ check.trouble.detail }}. {{ check.trouble.mend }}.</p>
    <p>
      <router-link :to="`/jobs/${job.id}/${!job.source ? 'source' : !job.target_head ? 'target' : 'fit'}`">
        {{ !job.source ? "Read the source" : !job.target_head ? "Choose the target" : "Go to Fit" }}
      </router-link>
    </p>
  </section>
  <div v-else class="stage-page">
    <div class="head">
      <h1>{{ head }}</h1>
      <span class="muted">{{ check.found ? `${check.found.model} ${check.found.serial}` : "the finished disk" }}</span>
      <PickOne
        v-if="times.length > 1"
        :model-value="check.number ?? 0"
        :choices="times"
        label="Which check"
        @update:model-value="(value) => (number = value)"
      />
      <a-button v-if="check.checks.length && !check.closing" @click="reading = !reading">
        {{ reading ? "Leave it at that" : "Check again" }}
      </a-button>
    </div>
    <TroubleLine v-if="refused">{{ refused }}</TroubleLine>
    <section v-if="doubtful" class="card" role="alert">
      <p>
        <a-tag class="tag mind">mind</a-tag> {{ doubtful.why }}.
        <a-button size="small" @click="sure">It is the right one: compare it</a-button>
        <a-button size="small" @click="doubtful = null">Read another</a-button>
      </p>
    </section>
    <section v-if="(!check.checks.length || reading) && !check.closing" class="card">
      <p class="muted">Read the finished disk: sizes, places, file systems and identity are compared with the plan.</p>
      <DiskIntake what="finished disk" :serial="job.target?.disk.serial || undefined" @survey="take" />
    </section>
    <div class="panes">
      <section class="card" aria-label="Plan and found">
        <PairMorph
          :rows="check.rows"
          :sectors="check.sectors"
          :sector-bytes="check.sector_bytes"
          :chosen="chosen"
          @choose="(row) => (chosen = row)"
        />
        <details>
          <summary>The same as a table</summary>
          <table class="plain">
            <thead>
              <tr>
                <th scope="col">Row</th>
                <th scope="col" class="num">Planned: first, sectors</th>
                <th scope="col" class="num">Found: first, sectors</th>
                <th scope="col">Different</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="row in check.rows" :key="row.label">
                <th scope="row">{{ row.label }}</th>
                <td class="num">
                  {{ row.planned ? `${row.planned.first_lba}, ${row.planned.sectors}` : "not planned" }}
                </td>
                <td class="num">
                  {{ row.found ? `${row.found.first_lba}, ${row.found.sectors}` : check.number ? "missing" : "" }}
                </td>
                <td>{{ row.codes.join(", ") }}</td>
              </tr>
            </tbody>
          </table>
        </details>
      </section>
      <aside>
        <section v-if="check.checks.length" class="card" aria-label="What to do">
          <h2>{{ check.differences.length ? "What to do" : "Nothing to do" }}</h2>
          <p v-if="check.another" class="muted">{{ check.another }}</p>
          <div v-if="check.finish && !check.closing" class="finish">
            <a-button v-if="check.finish.possible" type="primary" @click="finish">
              Finish from here: {{ check.finish.steps === 1 ? "1 step" : `${check.finish.steps} steps` }},
              {{ check.finish.time }}
            </a-button>
            <p class="muted">{{ check.finish.possible ? "" : "No way leads from here: " }}{{ check.finish.why }}.</p>
          </div>
          <ul class="lines">
            <li v-for="(one, index) in check.differences" :key="index">
              <a-tag class="tag" :class="one.level">{{ one.level }}</a-tag>
              <div>
                <button class="text" type="button" @click="chosen = one.row">{{ one.text }}</button>
                {{ one.do }}
                <router-link :to="`/guide?code=${one.code}`" class="rule no-print" :aria-label="`rule ${one.code}`">
                  rule
                </router-link>
                <details v-if="one.figures.length">
                  <summary>Figures to type</summary>
                  <FiguresTable :figures="one.figures" :caption="`Figures to type: ${one.text}`" />
                </details>
              </div>
            </li>
          </ul>
          <p v-for="text in check.unknown" :key="text" class="muted">Not compared: {{ text }}</p>
        </section>
        <ClosingForm
          :key="check.closing?.closed_at ?? 'open'"
          :check="check"
          :unfinished="unfinished"
          @close="bench.close"
          @reopen="bench.reopen"
        />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.missing {
  display: grid;
  gap: 8px;
  max-width: 560px;
  margin: 8vh auto;
}
.finish {
  display: grid;
  gap: 4px;
  justify-items: start;
  margin-bottom: 8px;
}
.head .ant-btn {
  margin-left: auto;
}
.panes {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 420px;
  gap: 12px;
  align-items: start;
}
aside {
  display: grid;
  gap: 10px;
}
summary {
  color: var(--muted);
  cursor: pointer;
}
@media (max-width: 980px) {
  .panes {
    grid-template-columns: minmax(0, 1fr);
  }
  details {
    overflow-x: auto;
  }
}
</style>
