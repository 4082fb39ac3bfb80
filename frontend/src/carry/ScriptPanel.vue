<script setup lang="ts">
/** The script that does the steps: how it is run, where it tells how far it is, and its log when it has run elsewhere. */
import { computed, shallowRef } from "vue";
import { askTell, handOver, type CarryStore, type Way } from "../api/carry";
import type { Schemas } from "../api/client";
import { MOST_BYTES } from "../intake/files";
import FoldCard from "../widgets/FoldCard.vue";
import CommandLine from "../widgets/CommandLine.vue";
import { useTried } from "../widgets/tried";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ job: number; way: Way | undefined; bench: CarryStore }>();
const told = shallowRef<Schemas["TellModel"] | null>(null);
const { trouble, busy, tried } = useTried();
const said = shallowRef<Schemas["LogTaken"] | null>(null);

const line = computed(() => {
  const room = props.way?.script?.workspace_bytes ? " WORKDIR" : "";
  return `sh job-${props.job}-clone.sh --go${told.value ? ` --tell ${told.value.address}` : ""} SOURCE TARGET${room}`;
});

async function tell(): Promise<void> {
  said.value = null;
  await tried(async () => {
    told.value = await askTell(props.job);
  });
}

/** A log that was dropped or picked; never uploaded by the component itself. */
function take(file: File): false {
  said.value = null;
  void tried(async () => {
    if (file.size > MOST_BYTES) throw new Error(`${file.name} is larger than any log of the script.`);
    said.value = await props.bench.giveLog(await file.text());
  });
  return false;
}
</script>

<template>
  <FoldCard class="no-print" name="The script" :line="way?.script?.time ?? 'this way has none'">
    <p v-if="!way?.script" class="muted">This way has none.</p>
    <template v-else>
      <p>
        <a :href="handOver(job, 'clone.sh')" download>Take it</a> to a Linux with both disks. Without
        <span class="fig">--go</span> it only says what it would do.
      </p>
      <CommandLine where="On that Linux, as root" :command="line" />
      <p v-for="text in way.script.by_hand" :key="text" class="muted">{{ text }}</p>
      <div class="act">
        <a-button size="small" :loading="busy" @click="tell">{{
          told ? "Another address" : "Let it tell here"
        }}</a-button>
        <span v-if="told" class="muted" role="status">
          Good for one run that begins within {{ told.minutes }} minutes.
        </span>
      </div>
      <TroubleLine v-if="told && !told.reachable" level="mind">
        This Ylemorph listens to this machine alone: only a script that runs here reaches it.
      </TroubleLine>
      <a-upload-dragger :show-upload-list="false" :before-upload="take" accept=".log,.txt,.json" class="log">
        Drop its log here, or pick it
      </a-upload-dragger>
      <p v-if="said" role="status">
        {{ said.sentence }}
        <router-link v-if="said.found" :to="`/jobs/${job}/check`">Check back</router-link>
      </p>
      <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    </template>
  </FoldCard>
</template>

<style scoped>
.act {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
p a {
  text-decoration: underline;
}
.log :deep(.ant-upload-btn) {
  padding: 8px;
}
</style>
