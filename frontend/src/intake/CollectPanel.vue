<script setup lang="ts">
/** A line that a customer's machine runs once: it lists its disks, shows them, and sends them here. */
import { shallowRef } from "vue";
import { askCode, type Collect, type Goal } from "../api/collect";
import CommandLine from "../widgets/CommandLine.vue";
import { useTried } from "../widgets/tried";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ goal: Goal }>();
const given = shallowRef<Collect | null>(null);
const { trouble, busy, tried } = useTried();

const ask = () =>
  tried(async () => {
    given.value = await askCode(props.goal);
  });
</script>

<template>
  <div class="collect">
    <p>
      One line on the customer's machine lists its disks, shows what it will send, and sends it here when you agree. It
      opens no file and changes nothing.
    </p>
    <div class="act">
      <a-button :loading="busy" :type="given ? 'default' : 'primary'" @click="ask">
        {{ given ? "Another line" : "Get the line" }}
      </a-button>
      <span v-if="given" class="muted" role="status">
        Code <b class="fig">{{ given.code }}</b> works once, within {{ given.minutes }} minutes. What is sent appears on
        this page by itself.
      </span>
    </div>
    <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
    <template v-if="given">
      <TroubleLine v-if="!given.reachable" level="mind">
        This Ylemorph listens to this machine alone, so no other one reaches it. Start it with
        <code class="fig">ylemorph serve --network</code>, or take a script on a stick.
      </TroubleLine>
      <CommandLine v-for="item in given.commands" :key="item.where" :where="item.where" :command="item.command" />
    </template>
    <p class="muted">
      Without network: take the script on a stick (<a href="/api/collect/windows" download>for Windows</a>,
      <a href="/api/collect/linux" download>for Linux</a>), run it there, and drop the file that it writes on this page
      under “A listing”.
    </p>
  </div>
</template>

<style scoped>
.collect {
  display: grid;
  gap: 10px;
  min-width: 0;
}
.act {
  display: flex;
  gap: 12px;
  align-items: center;
  flex-wrap: wrap;
}
p a {
  text-decoration: underline;
}
</style>
