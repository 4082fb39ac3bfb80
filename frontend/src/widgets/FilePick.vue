<script setup lang="ts">
/** A button by which files are picked; none of them is sent by it. */
defineProps<{ text: string; accept?: string; multiple?: boolean; directory?: boolean }>();
const emit = defineEmits<{ picked: [files: File[]] }>();

/** Asked once for each file, with all of them; false keeps the library from sending it. */
function take(file: File, files: File[]): boolean {
  if (file === files[0]) emit("picked", files);
  return false;
}
</script>

<template>
  <a-upload
    :accept="accept"
    :multiple="multiple"
    :directory="directory"
    :show-upload-list="false"
    :before-upload="take"
  >
    <span class="pick">{{ text }}</span>
  </a-upload>
</template>

<style scoped>
/* As tall and round as the small buttons that it stands beside. */
.pick {
  display: inline-block;
  border: 1px solid var(--sand);
  border-radius: 4px;
  padding: 0 7px;
  line-height: 22px;
  cursor: pointer;
}
</style>
