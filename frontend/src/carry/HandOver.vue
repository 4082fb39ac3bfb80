<script setup lang="ts">
/** What goes to the bench and to the customer. */
import { ref } from "vue";
import { handOver } from "../api/carry";

const props = defineProps<{ job: number }>();
const trouble = ref("");
const FILES = [
  { form: "sheet.pdf", name: "Work sheet (PDF)", what: "one or two pages to take along" },
  { form: "clone.sh", name: "Script for Linux", what: "prints first; does it with --go" },
  { form: "table.sfdisk", name: "Table for sfdisk", what: "the target's table alone" },
  { form: "steps.json", name: "Steps as JSON", what: "for ylemorph rehearse" },
  { form: "plan.json", name: "Plan as JSON", what: "for ylemorph check" },
  { form: "plan.csv", name: "Plan as CSV", what: "rows and bytes" },
  { form: "morph.svg", name: "Morph as SVG", what: "the picture, to scale" },
] as const;

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
  <section class="card no-print" aria-label="Hand-over">
    <h2>To take along</h2>
    <ul>
      <li>
        <router-link :to="`/jobs/${job}/print/sheet`">Work sheet to print</router-link>
        <span class="muted">the same on screen</span>
      </li>
      <li>
        <router-link :to="`/jobs/${job}/print/customer`">Page for the customer</router-link>
        <span class="muted">in plain words</span>
      </li>
      <li v-for="file in FILES" :key="file.form">
        <a :href="handOver(job, file.form)" download>{{ file.name }}</a> <span class="muted">{{ file.what }}</span>
      </li>
      <li>
        <button type="button" @click="png">Morph as PNG</button> <span class="muted">the picture for a report</span>
      </li>
    </ul>
    <p v-if="trouble" role="alert">{{ trouble }}</p>
    <p class="muted">The table as a disk image: <span class="fig">ylemorph plan --format table-image</span></p>
  </section>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 6px 0;
  padding: 0;
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
