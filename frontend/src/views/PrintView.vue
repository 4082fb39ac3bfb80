<script setup lang="ts">
/** What is printed: the work sheet for the bench, or the page for the customer. */
import { computed, toRef } from "vue";
import { useRoute } from "vue-router";
import { useJob } from "../api/jobs";
import CustomerPage from "../carry/CustomerPage.vue";
import SheetPage from "../carry/SheetPage.vue";
import TroubleLine from "../widgets/TroubleLine.vue";

const route = useRoute();
const id = computed(() => Number(route.params.id));
const what = toRef(() => (route.params.what === "customer" ? "customer" : "sheet"));
const { job, trouble } = useJob(id);
const print = () => window.print();
</script>

<template>
  <nav class="no-print">
    <router-link :to="`/jobs/${id}/carry`">Back to Carry out</router-link>
    <router-link v-if="what === 'sheet'" :to="`/jobs/${id}/print/customer`">Page for the customer</router-link>
    <router-link v-else :to="`/jobs/${id}/print/sheet`">Work sheet</router-link>
    <a-button type="primary" size="small" @click="print">Print</a-button>
  </nav>
  <main class="page">
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <a-spin v-else-if="!job" tip="Reading the job" />
    <component :is="what === 'customer' ? CustomerPage : SheetPage" v-else :job="job" />
  </main>
</template>

<style scoped>
nav {
  display: flex;
  gap: 18px;
  align-items: center;
  padding: 10px 20px;
  background: var(--card);
  border-bottom: 1px solid var(--line);
}
nav .ant-btn {
  margin-left: auto;
}
.page {
  max-width: 820px;
  margin: 18px auto;
  padding: 26px 34px;
  background: var(--card);
  border: 1px solid var(--line);
}
@media print {
  .page {
    max-width: none;
    margin: 0;
    padding: 0;
    border: 0;
  }
}
</style>
