<script setup lang="ts">
import { defineAsyncComponent, ref } from "vue";
import { signOut, who } from "../api/session";
import LineMenu from "./LineMenu.vue";
import { units } from "./units";

const OwnPassword = defineAsyncComponent(() => import("./OwnPassword.vue"));
const emit = defineEmits<{ keys: [] }>();
const ACTS = [
  { key: "password", text: "Change password" },
  { key: "here", text: "Sign out" },
  { key: "everywhere", text: "Sign out everywhere" },
] as const;
const changing = ref(false);
function act(key: (typeof ACTS)[number]["key"]): void {
  if (key === "password") changing.value = true;
  else void signOut(key === "everywhere");
}
const UNIT_CHOICES = [
  { label: "GiB", value: "binary" },
  { label: "GB", value: "decimal" },
];
</script>

<template>
  <header class="bar" :class="{ staged: !!$slots.stages }">
    <router-link to="/" class="name" aria-label="Ylemorph, all jobs">
      <img src="/mark.svg" alt="" width="26" height="18" /><span>Ylemorph</span>
    </router-link>
    <nav class="places no-print" aria-label="Places">
      <router-link to="/">Jobs</router-link>
      <router-link to="/shelf">Shelf</router-link>
      <router-link to="/fleets">Fleet</router-link>
      <router-link to="/bench">Bench</router-link>
      <router-link to="/settings">Workshop</router-link>
    </nav>
    <div class="middle"><slot /></div>
    <nav v-if="$slots.stages" class="stages no-print" aria-label="Stages"><slot name="stages" /></nav>
    <slot name="actions" />
    <LineMenu
      v-if="who?.name"
      class="no-print"
      :label="`${who.name}: password, sign out`"
      :text="`${who.name}${who.role === 'look' ? ' (reads)' : ''}`"
      :items="ACTS"
      @choose="act"
    />
    <a-segmented v-model:value="units" :options="UNIT_CHOICES" size="small" aria-label="Units" class="units no-print" />
    <a-button size="small" class="keys no-print" aria-label="All keys" @click="emit('keys')"><kbd>?</kbd></a-button>
    <OwnPassword v-if="changing" @close="changing = false" />
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 14px;
  min-height: 52px;
  padding: 0 20px;
  background: var(--card);
  border-bottom: 1px solid var(--line);
}
.name {
  display: flex;
  align-items: center;
  gap: 8px;
  font-weight: 600;
  font-size: 17px;
  color: var(--ink);
}
.places {
  display: flex;
  gap: 12px;
}
.places a {
  color: var(--muted);
  padding: 4px 0;
}
.places .router-link-exact-active {
  color: var(--ink);
  font-weight: 600;
}
@media (prefers-color-scheme: dark) {
  .name img {
    filter: invert(1) hue-rotate(180deg);
  }
}
.middle {
  flex: 1;
  min-width: 110px;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.stages {
  display: flex;
  align-self: stretch;
}
/* On a telephone two lines: where one is and what can be done, then the stages of the job, or else the places. */
@media (max-width: 720px) {
  .bar {
    flex-wrap: wrap;
    padding: 6px 12px 0;
    gap: 4px 8px;
  }
  .staged .places,
  .staged .units,
  .staged .name span,
  .keys {
    display: none;
  }
  .middle {
    min-width: 0;
  }
  .places,
  .stages {
    order: 9;
    width: 100%;
    min-height: 36px;
    overflow-x: auto;
  }
}
</style>
