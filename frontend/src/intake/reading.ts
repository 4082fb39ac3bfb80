/** A reading that takes a while: begun, followed to its end, with what came of it. */
import { onUnmounted, ref, shallowRef } from "vue";
import type { Survey } from "../api/client";
import { lookAtReading, type Progress } from "../api/reading";

const LOOK_EVERY = 150; // milliseconds

export function useReading() {
  const running = shallowRef<Progress | null>(null);
  const trouble = ref("");
  let timer = 0;
  onUnmounted(() => clearTimeout(timer));

  /** The survey, or null where it failed or was stopped; `trouble` says why then. */
  async function read(begin: () => Promise<Progress>): Promise<Survey | null> {
    trouble.value = "";
    try {
      let progress = await begin();
      running.value = progress;
      while (progress.state === "running") {
        await new Promise((resolve) => (timer = window.setTimeout(resolve, LOOK_EVERY)));
        progress = await lookAtReading(progress.id);
        running.value = progress;
      }
      if (progress.state === "done" && progress.survey) return progress.survey;
      trouble.value = progress.state === "stopped" ? "The reading was stopped." : progress.trouble;
    } catch (error) {
      trouble.value = (error as Error).message;
    } finally {
      running.value = null;
    }
    return null;
  }
  return { running, trouble, read };
}
