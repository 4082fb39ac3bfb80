<script setup lang="ts">
import { KEYS } from "./words";

const open = defineModel<boolean>("open", { required: true });
</script>

<template>
  <a-modal v-model:open="open" title="Keys" :footer="null" width="460px">
    <p>
      <router-link to="/guide" @click="open = false">The guide</router-link>: reading, fitting, carrying out, checking,
      and every rule. <kbd>G</kbd> <kbd>H</kbd> opens it.
    </p>
    <dl>
      <template v-for="[key, what] in KEYS" :key="key">
        <dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ what }}</dd>
      </template>
    </dl>
  </a-modal>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 8px 14px;
  margin: 0;
}
p a {
  text-decoration: underline;
}
dd {
  margin: 0;
}
</style>
