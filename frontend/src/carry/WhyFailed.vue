<script setup lang="ts">
/** Why a step failed: one reason of the list, and what the tool said. */
import { ref, watch } from "vue";
import type { RecordEntry } from "../api/carry";
import type { Schemas } from "../api/client";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ reasons: Schemas["ReasonModel"][]; refused: string; busy: boolean }>();
const open = defineModel<boolean>("open", { required: true });
const emit = defineEmits<{ failed: [reason: NonNullable<RecordEntry["reason"]>, note: string] }>();
const reason = ref<RecordEntry["reason"]>(null);
const note = ref("");

watch(open, () => {
  reason.value = null;
  note.value = "";
});
const keep = () => reason.value && !props.busy && emit("failed", reason.value, note.value);
</script>

<template>
  <a-modal v-model:open="open" title="Why did it fail?" :footer="null" width="440px">
    <a-radio-group v-model:value="reason" role="radiogroup" aria-label="Reason" name="reason" class="reasons">
      <a-radio v-for="one in reasons" :key="one.key" :value="one.key">{{ one.text }}</a-radio>
    </a-radio-group>
    <label class="note">What it said <a-input v-model:value="note" :maxlength="200" @press-enter="keep" /></label>
    <TroubleLine v-if="refused">{{ refused }}</TroubleLine>
    <div class="acts">
      <a-button @click="open = false">It did not fail</a-button>
      <a-button type="primary" :disabled="!reason || busy" @click="keep">Record it</a-button>
    </div>
  </a-modal>
</template>

<style scoped>
.reasons {
  display: grid;
  gap: 6px;
}
.note {
  display: grid;
  margin-top: 10px;
}
.acts {
  display: flex;
  gap: 8px;
  justify-content: flex-end;
  margin-top: 12px;
}
</style>
