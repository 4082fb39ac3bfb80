<script setup lang="ts">
/** How to work with it, and the rules, from the same files as the documentation; offline, with a search. */
import { computed, nextTick, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { GUIDE, search } from "../guide";
import TopBar from "../widgets/TopBar.vue";

const emit = defineEmits<{ keys: [] }>();
const route = useRoute();
const question = ref("");
const body = ref<HTMLElement | null>(null);
const shown = computed(() => (question.value.trim() ? search(question.value) : GUIDE));
document.title = "Guide · Ylemorph";

/** Go to a section, or to the line of a finding or difference by its code. */
async function go(): Promise<void> {
  await nextTick();
  const code = String(route.query.code ?? "");
  const line = [...(body.value?.querySelectorAll("td code, td:first-child code") ?? [])].find(
    (item) => item.textContent === code,
  );
  body.value?.querySelector("tr.here")?.classList.remove("here");
  if (code && line) {
    const row = line.closest("tr");
    row?.classList.add("here");
    row?.scrollIntoView({ block: "center" });
  } else if (route.hash) document.getElementById(route.hash.slice(1))?.scrollIntoView();
}
watch(() => route.fullPath, go, { immediate: true });
</script>

<template>
  <TopBar @keys="emit('keys')" />
  <main class="stage-page guide">
    <nav aria-label="Sections">
      <h1>Guide</h1>
      <a-input v-model:value="question" placeholder="Search the guide" allow-clear aria-label="Search the guide" />
      <p role="status" class="muted">
        {{ question.trim() ? `${shown.length} of ${GUIDE.length} sections` : `${GUIDE.length} sections` }}
      </p>
      <ul>
        <li v-for="section in shown" :key="section.id" :class="`d${section.depth}`">
          <router-link :to="`/guide#${section.id}`">{{ section.title }}</router-link>
        </li>
      </ul>
    </nav>
    <div ref="body" class="body">
      <p v-if="!shown.length">
        Nothing in the guide has all of these words.
        <a-button size="small" @click="question = ''">Show all of it</a-button>
      </p>
      <section v-for="section in shown" :id="section.id" :key="section.id" class="card">
        <component :is="`h${section.depth + 1}`">{{ section.title }}</component>
        <!-- eslint-disable-next-line vue/no-v-html -- made from our own files when the program is built -->
        <div v-html="section.html"></div>
      </section>
    </div>
  </main>
</template>

<style scoped>
.guide {
  display: grid;
  grid-template-columns: 230px minmax(0, 860px);
  gap: 20px;
  padding: 14px 20px 40px;
}
nav {
  position: sticky;
  top: 10px;
  align-self: start;
  display: grid;
  gap: 8px;
  max-height: calc(100vh - 80px);
  overflow-y: auto;
}
nav ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 3px;
}
nav .d1 {
  font-weight: 600;
  margin-top: 8px;
}
nav .d2 {
  padding-left: 10px;
}
nav a {
  color: var(--ink);
}
.body {
  display: grid;
  gap: 12px;
}
.card > h2 {
  font-size: 20px;
}
.card > h3 {
  font-size: 15px;
}
.card {
  scroll-margin-top: 10px;
  overflow-x: auto;
}
.card :deep(table) {
  border-collapse: collapse;
  margin: 8px 0;
}
.card :deep(th),
.card :deep(td) {
  text-align: left;
  vertical-align: top;
  padding: 4px 10px 4px 0;
  border-bottom: 1px solid var(--line);
}
.card :deep(tr.here) {
  background: var(--chosen);
  outline: 2px solid var(--action);
}
.card :deep(pre),
.card :deep(code) {
  font-family: "IBM Plex Mono", monospace;
  font-size: 12.5px;
}
.card :deep(pre) {
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 6px;
  padding: 8px 12px;
  overflow-x: auto;
}
.card :deep(p),
.card :deep(ul) {
  margin: 6px 0;
  max-width: 74ch;
}
.card :deep(a) {
  text-decoration: underline;
}
@media (max-width: 820px) {
  .guide {
    grid-template-columns: minmax(0, 1fr);
  }
  nav {
    position: static;
    max-height: none;
  }
  nav ul {
    display: none;
  }
}
</style>
