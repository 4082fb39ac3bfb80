<script setup lang="ts">
/** One's own password, by whoever knows the present one. */
import { nextTick, onMounted, reactive, ref } from "vue";
import { changeOwnPassword } from "../api/session";
import { useRefusal } from "./refusal";
import TroubleLine from "./TroubleLine.vue";

const emit = defineEmits<{ close: [] }>();
const fields = reactive({ present: "", password: "" });
const { item, rest, send } = useRefusal(["present", "password"]);
const done = ref(false);
const busy = ref(false);
const first = ref<{ focus: () => void } | null>(null);
onMounted(() => void nextTick(() => first.value?.focus()));

async function change(): Promise<void> {
  busy.value = true;
  done.value = await send(() => changeOwnPassword(fields.present, fields.password));
  busy.value = false;
}
</script>

<template>
  <a-modal open title="Your password" :footer="null" width="400px" @cancel="emit('close')">
    <p v-if="done" role="status">It is changed. Every other browser of yours is signed out.</p>
    <a-form v-else :model="fields" name="own-password" layout="vertical" @finish="change">
      <a-form-item label="The present one" name="present" v-bind="item('present')">
        <a-input
          ref="first"
          v-model:value="fields.present"
          type="password"
          autocomplete="current-password"
          :maxlength="200"
        />
      </a-form-item>
      <a-form-item label="The new one" name="password" v-bind="item('password')">
        <a-input
          v-model:value="fields.password"
          type="password"
          autocomplete="new-password"
          placeholder="a few words"
          :maxlength="200"
        />
      </a-form-item>
      <TroubleLine v-if="rest">{{ rest }}</TroubleLine>
      <a-button type="primary" html-type="submit" :loading="busy" :disabled="!fields.present || !fields.password">
        Change it
      </a-button>
    </a-form>
  </a-modal>
</template>

<style scoped>
form {
  display: grid;
  gap: 10px;
}
</style>
