<script setup lang="ts">
/** What goes to the bench and to the customer. */
import { ref } from "vue";
import { handOver } from "../api/carry";
import FoldCard from "../widgets/FoldCard.vue";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: number }>();
const trouble = ref("");
interface Thing {
  name: string;
  what: string;
  page?: "sheet" | "customer";
  form?: string;
}
/** What is taken along, by whom it is for. */
const GROUPS: { whom: string; things: Thing[] }[] = [
  {
    whom: "For you",
    things: [
      { page: "sheet", name: "Work sheet to print", what: "the same on screen" },
      { form: "sheet.pdf", name: "Work sheet (PDF)", what: "one or two pages to take along" },
      { form: "label.pdf", name: "Labels (PDF)", what: "one for each disk, its code opens the job" },
      { form: "labels.pdf", name: "Labels on A4 (PDF)", what: "24 of 70 by 37 mm" },
      { form: "plan.csv", name: "Plan as CSV", what: "rows and bytes" },
    ],
  },
  {
    whom: "For the customer",
    things: [
      { page: "customer", name: "Page for the customer", what: "in plain words" },
      { form: "morph.svg", name: "Morph as SVG", what: "the picture, to scale" },
      { name: "Morph as PNG", what: "the picture for a report" },
    ],
  },
  {
    whom: "For the tools",
    things: [
      { form: "clone.sh", name: "Script for Linux", what: "prints first; does it with --go" },
      { form: "table.sfdisk", name: "Table for sfdisk", what: "the target's table alone" },
      { form: "steps.json", name: "Steps as JSON", what: "for ylemorph rehearse" },
      { form: "plan.json", name: "Plan as JSON", what: "for ylemorph check" },
    ],
  },
];

/** The picture as the browser draws it, twice as large. */
async function png(): Promise<void> {
  try {
    const text = await (await fetch(handOver(props.job, "morph.svg"))).text();
    const image = new Image();
    image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
    await image.decode();
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [image.width * 2, image.height * 2];
    canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
    const link = document.createElement("a");
    link.href = canvas.toDataURL("image/png");
    link.download = `job-${props.job}-morph.png`;
    link.click();
    trouble.value = "";
  } catch {
    trouble.value = "The picture could not be drawn. Take the SVG instead.";
  }
}
</script>

<template>
  <FoldCard class="no-print" name="To take along" line="work sheet, page for the customer, files">
    <template v-for="group in GROUPS" :key="group.whom">
      <h3>{{ group.whom }}</h3>
      <ul>
        <li v-for="thing in group.things" :key="thing.name">
          <router-link v-if="thing.page" :to="`/jobs/${job}/print/${thing.page}`">{{ thing.name }}</router-link>
          <a v-else-if="thing.form" :href="handOver(job, thing.form)" download>{{ thing.name }}</a>
          <button v-else type="button" @click="png">{{ thing.name }}</button>
          <span class="muted">{{ thing.what }}</span>
        </li>
      </ul>
    </template>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <p class="muted">The table as a disk image: <span class="fig">ylemorph plan --format table-image</span></p>
  </FoldCard>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
h3 {
  margin: 4px 0 0;
  font-size: 12px;
  color: var(--muted);
}
li {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 1px 0;
}
button {
  font: inherit;
  color: var(--action);
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
button:hover {
  text-decoration: underline;
}
</style>
