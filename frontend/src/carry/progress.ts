/** Where a job stands while it is carried out, as the running record says. */
import { computed, type ComputedRef } from "vue";
import type { Carry, Run } from "../api/carry";

export function useProgress(carry: ComputedRef<Carry | null>) {
  const run = computed(() => carry.value?.run ?? null);
  const running = computed(() => !!run.value && !run.value.ended_at);
  const lastOf = (number: number) => run.value?.events.filter((event) => event.step === number).at(-1);

  function isDone(number: number): boolean {
    if (!run.value || run.value.plan_changed) return false;
    if (run.value.ended_at) return lastOf(number)?.what === "done";
    return run.value.step === null || number < run.value.step;
  }
  const finished = computed(
    () => !!run.value?.ended_at && !run.value.plan_changed && run.value.steps.every((step) => isDone(step.number)),
  );

  return {
    run,
    running,
    finished,
    failure: computed(() => (running.value ? (run.value?.failure ?? null) : null)),
    present: computed((): Run["present"] => run.value?.present ?? null),
    isDone,
    tookOf: (number: number) => (isDone(number) ? (lastOf(number)?.took ?? "") : ""),
  };
}
export type Progress = ReturnType<typeof useProgress>;
