<script setup lang="ts">
/** What to buy: one size for all, and the mix of models with the least total price, stock counted. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { mixQuery, type Fleet } from "../api/buy";
import { price } from "../buy/prices";
import { spaced } from "../widgets/words";
import PickOne from "../widgets/PickOne.vue";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ fleet: Fleet }>();
const currency = ref("");
const known = computed(() => [
  ...new Set(props.fleet.targets.filter((target) => target.price !== null).map((target) => target.currency)),
]);
watch(known, (list) => {
  if (!list.includes(currency.value)) currency.value = "";
});
const ready = computed(() => props.fleet.done > 0 && known.value.length > 0);
const asks = computed(() => known.value.length > 1 && !currency.value);
const {
  data: mix,
  error,
  isFetching,
} = useQuery(
  computed(() => ({
    ...mixQuery(props.fleet, currency.value),
    enabled: ready.value && !asks.value && !props.fleet.running,
  })),
);
const choices = computed(() => [
  { value: "", label: "choose one" },
  ...known.value.map((word) => ({ value: word, label: word || "none named" })),
]);
</script>

<template>
  <section class="card" aria-label="What to buy">
    <h2>What to buy</h2>
    <p>
      One size for all: <b>{{ fleet.smallest.all ? spaced(fleet.smallest.all) : "no usual size does for all" }}</b>
      <template v-if="fleet.smallest.percent_95 !== fleet.smallest.all">
        · for 95 %: <b>{{ fleet.smallest.percent_95 ? spaced(fleet.smallest.percent_95) : "none" }}</b>
      </template>
    </p>
    <label v-if="known.length > 1">
      Prices stand in {{ known.join(" and ") }}, which cannot be added up. Which counts?
      <PickOne v-model="currency" :choices="choices" label="Currency" />
    </label>
    <TroubleLine v-if="error">{{ error.message }}</TroubleLine>
    <p v-else-if="!known.length" class="muted">No model has a price: give prices on the shelf for the cheapest mix.</p>
    <p v-else-if="isFetching && !mix"><a-spin size="small" /> Working out the cheapest mix</p>
    <template v-else-if="mix && !asks">
      <p>
        Least price: <b class="fig">{{ price(mix.total_price, mix.currency) }}</b> in all
      </p>
      <ul>
        <li v-for="disk in mix.disks" :key="disk.name">
          <span class="fig">{{ disk.count }} × {{ spaced(disk.name) }}</span>
          <span class="muted fig">{{ price(disk.total_price, mix.currency) }}</span>
        </li>
      </ul>
      <p v-if="mix.left_out.length">
        <a-tag class="tag mind">mind</a-tag> None of these is comfortable, or left in stock, for
        {{ mix.left_out.length }}: {{ mix.left_out.slice(0, 6).join(", ")
        }}{{ mix.left_out.length > 6 ? ` and ${mix.left_out.length - 6} more` : "" }}.
      </p>
    </template>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 6px;
  align-content: start;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
</style>
