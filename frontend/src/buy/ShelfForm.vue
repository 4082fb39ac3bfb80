<script setup lang="ts">
/** One disk of the shelf, cell by cell as it is kept. */
import { reactive, ref, watch } from "vue";
import { FORM_CHOICES, LINK_CHOICES, type ShelfTexts } from "../api/buy";
import PickOne from "../widgets/PickOne.vue";
import { formName } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{ disk: ShelfTexts | null; refused: string }>();
const emit = defineEmits<{ keep: [disk: ShelfTexts]; close: [] }>();
const EMPTY: ShelfTexts = {
  name: "",
  size: "",
  sector_bytes: "512",
  link: "sata",
  form: "2.5-inch",
  price: "",
  currency: "EUR",
  stock: "",
  note: "",
};
const cells = reactive<Required<ShelfTexts>>({ ...EMPTY } as Required<ShelfTexts>);
const first = ref<{ focus: () => void } | null>(null);
watch(
  () => props.disk,
  (disk) => Object.assign(cells, EMPTY, disk ?? {}),
  { immediate: true },
);
const choices = (words: readonly string[]) => words.map((word) => ({ value: word, label: formName(word) }));
const SECTORS = choices(["512", "4096"]);
const LINKS = choices(LINK_CHOICES);
const FORMS = choices(FORM_CHOICES);
defineExpose({ focus: () => first.value?.focus() });
</script>

<template>
  <form
    class="card"
    :aria-label="disk ? `Change ${disk.name}` : 'Another disk'"
    @submit.prevent="emit('keep', { ...cells })"
  >
    <label class="wide">Name <a-input ref="first" v-model:value="cells.name" :maxlength="120" /></label>
    <label
      >Size <a-input v-model:value="cells.size" class="fig" placeholder="480GB or sectors" :maxlength="40"
    /></label>
    <label>Sector <PickOne v-model="cells.sector_bytes" :choices="SECTORS" label="Sector size" /></label>
    <label>Link <PickOne v-model="cells.link" :choices="LINKS" label="Link" /></label>
    <label>Form <PickOne v-model="cells.form" :choices="FORMS" label="Form factor" /></label>
    <label>Price <a-input v-model:value="cells.price" class="fig" inputmode="decimal" :maxlength="20" /></label>
    <label>Currency <a-input v-model:value="cells.currency" class="fig" :maxlength="3" /></label>
    <label>In stock <a-input v-model:value="cells.stock" class="fig" placeholder="enough" :maxlength="6" /></label>
    <label class="wide">Note <a-input v-model:value="cells.note" :maxlength="400" /></label>
    <TroubleLine v-if="refused" class="whole">{{ refused }}</TroubleLine>
    <div class="whole">
      <a-button type="primary" html-type="submit">{{ disk ? "Keep the change" : "Put it on the shelf" }}</a-button>
      <a-button @click="emit('close')">Close</a-button>
    </div>
  </form>
</template>

<style scoped>
form {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(112px, 1fr));
  gap: 8px 12px;
  align-items: end;
}
label {
  display: grid;
  gap: 2px;
}
.wide {
  grid-column: span 2;
}
.whole {
  grid-column: 1 / -1;
  display: flex;
  gap: 8px;
}
</style>
