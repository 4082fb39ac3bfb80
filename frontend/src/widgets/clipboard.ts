/** Copying what is to be typed; where that is not allowed the text still stands there to be read. */
import { ref } from "vue";

export function useCopy() {
  const copied = ref("");
  async function copy(text: string): Promise<void> {
    try {
      await navigator.clipboard.writeText(text);
      copied.value = text;
    } catch {
      copied.value = "";
    }
  }
  return { copied, copy };
}
