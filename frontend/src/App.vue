<script setup lang="ts">
import { STAGE_KEYS, STAGES } from "./stages";
import { useEventListener } from "@vueuse/core";
import { defineAsyncComponent, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { useQueryClient, useQuery } from "@tanstack/vue-query";
import { askWho, signedOut, who } from "./api/session";
import { settingsQuery } from "./api/settings";
import { beginLive, moved } from "./live/live";
import { theme } from "./theme";
import KeysHelp from "./widgets/KeysHelp.vue";
import { isTyping } from "./widgets/keys";
import { units } from "./widgets/units";

const SignInView = defineAsyncComponent(() => import("./views/SignInView.vue"));
const router = useRouter();
const queries = useQueryClient();
// Asked again where the server says that this browser was signed out.
const { isError: nobody } = useQuery({ queryKey: ["session"], queryFn: askWho, staleTime: Infinity, retry: 1 });
const begun = ref(false);
watch(who, (now) => {
  if (!now || signedOut.value) return;
  if (!begun.value) void begin();
  beginLive(queries, now.token);
});
router.afterEach((to) => moved(to.path));

async function begin(): Promise<void> {
  begun.value = true;
  // A browser that was never asked shows the units of the workshop.
  if (localStorage.getItem("units") !== null) return;
  try {
    units.value = (await queries.fetchQuery(settingsQuery())).units;
  } catch {
    // The pages themselves say that nobody answers.
  }
}
const showKeys = ref(false);
let goingSince = -Infinity; // when G was pressed

useEventListener(window, "keydown", (event: KeyboardEvent) => {
  if (event.key === "Escape") showKeys.value = false;
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "?") {
    showKeys.value = !showKeys.value;
    event.preventDefault();
  } else if (event.key.toLowerCase() === "g") {
    goingSince = event.timeStamp;
  } else if (event.timeStamp - goingSince < 1500) {
    goingSince = -Infinity;
    go(event);
  }
});

function go(event: KeyboardEvent): void {
  const key = event.key.toLowerCase();
  const id = router.currentRoute.value.params.id;
  const stage = STAGE_KEYS.find((name) => STAGES[name].letter === key);
  if (key === "j") void router.push("/");
  else if (key === "b") void router.push("/bench");
  else if (key === "w") void router.push("/settings");
  else if (key === "d") void router.push("/shelf");
  else if (key === "h") void router.push("/guide");
  else if (key === "m") void router.push("/fleets");
  else if (stage && id) void router.push(`/jobs/${String(id)}/${stage}`);
  else return;
  event.stopImmediatePropagation();
}
</script>

<template>
  <a-config-provider :theme="theme">
    <router-view v-if="begun || nobody" @keys="showKeys = true" />
    <SignInView v-if="signedOut" :over="begun" @done="queries.invalidateQueries()" />
    <KeysHelp v-model:open="showKeys" />
  </a-config-provider>
</template>
