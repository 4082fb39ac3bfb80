/** Something that is asked of the server at a click: whether it is under way, and why it was refused. */
import { ref } from "vue";

export function useTried() {
  const trouble = ref("");
  const busy = ref(false);

  async function tried(act: () => Promise<void>): Promise<void> {
    busy.value = true;
    trouble.value = "";
    try {
      await act();
    } catch (error) {
      trouble.value = (error as Error).message;
    } finally {
      busy.value = false;
    }
  }
  return { trouble, busy, tried };
}
