<script setup lang="ts">
/** Who are you? Shown in the place of the pages, or over one that was open when the session ended. */
import { nextTick, onMounted, reactive, ref } from "vue";
import { signIn, who } from "../api/session";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ over: boolean }>();
const emit = defineEmits<{ done: [] }>();
const fields = reactive({ name: "", password: "" });
const trouble = ref("");
const busy = ref(false);
const first = ref<{ focus: () => void } | null>(null);
onMounted(() => void nextTick(() => first.value?.focus()));

async function enter(): Promise<void> {
  busy.value = true;
  trouble.value = "";
  try {
    await signIn(fields.name, fields.password);
    emit("done");
  } catch (error) {
    trouble.value = (error as Error).message;
    fields.password = "";
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <component :is="props.over ? 'div' : 'main'" :class="{ over: props.over }" role="dialog" aria-label="Sign in">
    <a-form class="card" :model="fields" name="sign-in" layout="vertical" @finish="enter">
      <p class="name"><img src="/mark.svg" alt="" width="26" height="18" />Ylemorph</p>
      <h1>{{ props.over ? "You were signed out" : "Sign in" }}</h1>
      <p v-if="props.over" class="muted">What is typed on the page below is kept.</p>
      <a-form-item label="Name" name="name">
        <a-input ref="first" v-model:value="fields.name" autocomplete="username" :maxlength="80" />
      </a-form-item>
      <a-form-item label="Password" name="password">
        <a-input v-model:value="fields.password" type="password" autocomplete="current-password" :maxlength="200" />
      </a-form-item>
      <TroubleLine v-if="trouble">{{ trouble }}</TroubleLine>
      <a-button type="primary" html-type="submit" :loading="busy" :disabled="!fields.name.trim() || !fields.password">
        Sign in
      </a-button>
      <p v-if="!who?.encrypted" class="muted">
        This connection is not encrypted: whoever listens on this network can read the password. Ylemorph encrypts by
        itself where it is started without --plain.
      </p>
    </a-form>
  </component>
</template>

<style scoped>
main,
.over {
  display: grid;
  place-items: center;
  min-height: 100vh;
  padding: 20px;
}
.over {
  position: fixed;
  inset: 0;
  z-index: 2000;
  background: color-mix(in srgb, var(--paper) 82%, transparent);
}
form {
  display: grid;
  gap: 12px;
  width: min(380px, 100%);
}
.name {
  display: flex;
  gap: 8px;
  align-items: center;
  font-weight: 600;
}
</style>
