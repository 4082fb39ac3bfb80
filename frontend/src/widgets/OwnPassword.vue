<script setup lang="ts">
/** One's own password, by whoever knows the present one. */
import { nextTick, onMounted, ref } from "vue";
import { changeOwnPassword } from "../api/session";
import TroubleLine from "./TroubleLine.vue";

const emit = defineEmits<{ close: [] }>();
const present = ref("");
const password = ref("");
const refused = ref("");
const done = ref(false);
const busy = ref(false);
const first = ref<{ focus: () => void } | null>(null);
onMounted(() => void nextTick(() => first.value?.focus()));

async function change(): Promise<void> {
  busy.value = true;
  refused.value = "";
  try {
    await changeOwnPassword(present.value, password.value);
    done.value = true;
  } catch (failure) {
    refused.value = (failure as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <a-modal open title="Your password" :footer="null" width="400px" @cancel="emit('close')">
    <p v-if="done" role="status">It is changed. Every other browser of yours is signed out.</p>
    <form v-else @submit.prevent="change">
      <label>
        The present one
        <a-input ref="first" v-model:value="present" type="password" autocomplete="current-password" :maxlength="200" />
      </label>
      <label>
        The new one
        <a-input
          v-model:value="password"
          type="password"
          autocomplete="new-password"
          placeholder="a few words"
          :maxlength="200"
        />
      </label>
      <TroubleLine v-if="refused">{{ refused }}</TroubleLine>
      <a-button type="primary" html-type="submit" :loading="busy" :disabled="!present || !password">Change it</a-button>
    </form>
  </a-modal>
</template>

<style scoped>
form,
label {
  display: grid;
  gap: 10px;
}
label {
  gap: 4px;
}
</style>
