<script setup lang="ts">
/** Who else has the same job or fleet open. */
import { computed } from "vue";
import { useRoute } from "vue-router";
import { othersAt } from "../live/live";

const route = useRoute();
const others = othersAt(computed(() => `${route.path.split("/").slice(0, 3).join("/")}/`));
</script>

<template>
  <span v-if="others.length" role="status" class="muted">also open: {{ others.join(", ") }}</span>
</template>
