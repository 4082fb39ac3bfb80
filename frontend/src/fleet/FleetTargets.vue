<script setup lang="ts">
/** The models that machines are tried against; the counts of each are filters of the table. */
import { computed, ref } from "vue";
import type { Fleet, Shelf } from "../api/buy";
import type { Verdict } from "../api/client";
import { price } from "../buy/prices";
import { size } from "../widgets/units";
import { spaced, verdictName } from "../widgets/words";

const props = defineProps<{ fleet: Fleet; shelf: Shelf | undefined; target: number; verdict: Verdict }>();
const emit = defineEmits<{ choose: [target: number, verdict: Verdict]; targets: [names: string[]] }>();
const typed = ref("");
const names = computed(() => props.fleet.targets.map((target) => target.name));
const others = computed(() =>
  [
    ...(props.shelf?.disks ?? []).map((disk) => disk.name ?? ""),
    ...(props.shelf?.sizes ?? []).map((item) => item.label),
  ].filter((name) => name && !names.value.includes(name)),
);
const COUNTS = [
  ["comfortable", "comfortable"],
  ["tight", "tight"],
  ["does_not_fit", "does-not-fit"],
] as const;

function add(): void {
  const name = typed.value.trim();
  if (!name) return;
  typed.value = "";
  emit("targets", [...names.value, name]);
}
</script>

<template>
  <ul aria-label="Models">
    <li v-for="(one, place) in fleet.targets" :key="one.name" class="card" :class="{ chosen: place === target }">
      <button class="name" :aria-pressed="place === target && !verdict" @click="emit('choose', place, null)">
        <b>{{ spaced(one.name) }}</b>
        <span class="muted fig">{{ size(one.size_bytes, "decimal") }} {{ price(one.price, one.currency) }}</span>
      </button>
      <div class="counts">
        <button
          v-for="[key, word] in COUNTS"
          :key="key"
          :disabled="!one.counts[key]"
          :aria-pressed="place === target && verdict === word"
          :class="{ on: place === target && verdict === word }"
          @click="emit('choose', place, place === target && verdict === word ? null : word)"
        >
          <span class="fig">{{ one.counts[key] }}</span> {{ verdictName(word).toLowerCase() }}
        </button>
      </div>
      <a-button
        size="small"
        type="text"
        class="away"
        :aria-label="`Leave ${one.name} out`"
        @click="
          emit(
            'targets',
            names.filter((name) => name !== one.name),
          )
        "
      >
        ×
      </a-button>
    </li>
    <li class="card more">
      <form @submit.prevent="add">
        <label for="another">Another model or size</label>
        <div>
          <a-input
            id="another"
            v-model:value="typed"
            size="small"
            list="models"
            placeholder="480 GB"
            :maxlength="120"
          />
          <datalist id="models"><option v-for="name in others" :key="name" :value="name" /></datalist>
          <a-button size="small" html-type="submit" :disabled="!typed.trim()">Add</a-button>
        </div>
      </form>
      <a-button
        v-if="shelf?.disks.length"
        size="small"
        type="text"
        @click="
          emit(
            'targets',
            shelf.disks.map((disk) => disk.name ?? ''),
          )
        "
      >
        Take the whole shelf
      </a-button>
    </li>
  </ul>
</template>

<style scoped>
ul {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(205px, 1fr));
  gap: 8px;
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  position: relative;
  padding: 8px 10px;
  display: grid;
  gap: 4px;
  align-content: start;
}
li.chosen {
  border-color: var(--ink);
}
button.name,
.counts button {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  text-align: left;
  cursor: pointer;
}
.name {
  display: grid;
  padding-right: 22px !important;
}
.counts {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
}
.counts button:disabled {
  color: var(--muted);
  cursor: default;
}
.counts button.on {
  font-weight: 600;
  text-decoration: underline;
}
.away {
  position: absolute;
  top: 2px;
  right: 2px;
}
.more > form > div {
  display: flex;
  gap: 6px;
}
</style>
