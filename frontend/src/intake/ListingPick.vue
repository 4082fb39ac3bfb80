<script setup lang="ts">
/** A listing by drop, by picking or by pasting: says what was recognised, asks which disk, and why one cannot be used. */
import { useQuery } from "@tanstack/vue-query";
import { ref, shallowRef, useId } from "vue";
import type { Survey } from "../api/client";
import { commandsQuery, readListing, type Found, type Reading } from "../api/reading";
import CommandLine from "../widgets/CommandLine.vue";
import FoundDisks from "./FoundDisks.vue";
import { readFile } from "./files";
import { recognised } from "./words";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ what: string; onto?: Survey }>();
const emit = defineEmits<{ survey: [survey: Survey, words: string[]] }>();
const { data: commands } = useQuery(commandsQuery());
const over = ref(false);
const busy = ref(false);
const trouble = ref("");
const pasted = ref("");
const choice = shallowRef<Reading | null>(null);
const id = useId();

async function take(read: () => Promise<Reading>): Promise<void> {
  busy.value = true;
  trouble.value = "";
  choice.value = null;
  try {
    const reading = await read();
    const only = reading.found.length === 1 ? reading.found[0] : undefined;
    if (only) use(reading, only);
    else choice.value = reading;
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}

function use(reading: Reading, found: Found): void {
  pasted.value = "";
  choice.value = null;
  emit("survey", found.survey, recognised(reading, found));
}

const takeFile = (file: File | undefined) => file && void take(() => readFile(file, props.onto));
const takeText = () => take(() => readListing({ text: pasted.value, ...(props.onto ? { onto: props.onto } : {}) }));

function picked(event: Event): void {
  const input = event.target as HTMLInputElement;
  takeFile(input.files?.[0]);
  input.value = "";
}
</script>

<template>
  <div
    class="drop"
    :class="{ over }"
    @dragover.prevent.stop="over = true"
    @dragleave="over = false"
    @drop.prevent.stop="
      over = false;
      takeFile($event.dataTransfer?.files[0]);
    "
  >
    <p>
      <label :for="id" class="pick">Pick a file</label>
      <input :id="id" type="file" class="sr-only" @change="picked" />
      with a listing of the {{ props.what }}, drop it here, or paste its text.
    </p>
    <a-textarea
      v-model:value="pasted"
      :rows="3"
      class="fig"
      :aria-label="`Text of a listing of the ${props.what}`"
      placeholder="sfdisk, lsblk, smartctl, PowerShell, a table with a header line, or a survey of Ylemorph"
      spellcheck="false"
    />
    <div class="act">
      <a-button :disabled="!pasted.trim()" @click="takeText">Read it</a-button>
      <a-spin v-if="busy" size="small" />
    </div>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <div v-if="choice" role="status">
      <p>
        <b>{{ choice.found.length }} disks stand in this {{ choice.form }}. Which one is the {{ props.what }}?</b>
      </p>
      <FoundDisks :reading="choice" @choose="(found) => choice && use(choice, found)" />
    </div>
    <details>
      <summary>One command that writes such a listing</summary>
      <CommandLine v-for="item in commands ?? []" :key="item.where" :where="item.where" :command="item.command" />
    </details>
  </div>
</template>

<style scoped>
.drop {
  border: 1px dashed var(--sand);
  border-radius: 8px;
  padding: 12px 14px;
  display: grid;
  gap: 8px;
}
.drop.over {
  border-color: var(--action);
  background: var(--chosen);
}
.pick {
  color: var(--action);
  font-weight: 600;
  text-decoration: underline;
  cursor: pointer;
}
.drop:has(input:focus-visible) .pick {
  outline: 2px solid var(--action);
  outline-offset: 2px;
}
.act {
  display: flex;
  gap: 10px;
  align-items: center;
}
summary {
  cursor: pointer;
  color: var(--muted);
}
</style>
