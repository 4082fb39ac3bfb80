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
  <a-form
    class="card"
    :model="cells"
    name="disk"
    layout="vertical"
    :aria-label="disk ? `Change ${disk.name}` : 'Another disk'"
    @finish="emit('keep', { ...cells })"
  >
    <a-form-item class="wide" label="Name" name="name">
      <a-input ref="first" v-model:value="cells.name" :maxlength="120" />
    </a-form-item>
    <a-form-item label="Size" name="size">
      <a-input v-model:value="cells.size" class="fig" placeholder="480GB or sectors" :maxlength="40" />
    </a-form-item>
    <a-form-item label="Sector">
      <PickOne v-model="cells.sector_bytes" :choices="SECTORS" label="Sector size" />
    </a-form-item>
    <a-form-item label="Link"><PickOne v-model="cells.link" :choices="LINKS" label="Link" /></a-form-item>
    <a-form-item label="Form"><PickOne v-model="cells.form" :choices="FORMS" label="Form factor" /></a-form-item>
    <a-form-item label="Price" name="price">
      <a-input v-model:value="cells.price" class="fig" inputmode="decimal" :maxlength="20" />
    </a-form-item>
    <a-form-item label="Currency" name="currency">
      <a-input v-model:value="cells.currency" class="fig" :maxlength="3" />
    </a-form-item>
    <a-form-item label="In stock" name="stock">
      <a-input v-model:value="cells.stock" class="fig" placeholder="enough" :maxlength="6" />
    </a-form-item>
    <a-form-item class="wide" label="Note" name="note">
      <a-input v-model:value="cells.note" :maxlength="400" />
    </a-form-item>
    <TroubleLine v-if="refused" class="whole">{{ refused }}</TroubleLine>
    <div class="whole">
      <a-button type="primary" html-type="submit">{{ disk ? "Keep the change" : "Put it on the shelf" }}</a-button>
      <a-button @click="emit('close')">Close</a-button>
    </div>
  </a-form>
</template>

<style scoped>
form {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(112px, 1fr));
  gap: 8px 12px;
  align-items: end;
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
