/** What the server refused of a form: each item says what was wrong with it, the rest stands under the form. */
import { computed, shallowRef, type ComputedRef } from "vue";
import { ProblemError } from "../api/client";

interface Refusal {
  /** For the item of that field, which has the name that the server knows. */
  item: (field: string) => { validateStatus?: "error"; help?: string };
  /** What no item says; empty where there is nothing. */
  rest: ComputedRef<string>;
  /** Sends, and keeps what was refused; whether it was taken. */
  send: (call: () => Promise<unknown>) => Promise<boolean>;
}

export function useRefusal(fields: readonly string[]): Refusal {
  const refused = shallowRef<Error | null>(null);
  const of = (failure: Error | null) =>
    failure instanceof ProblemError ? fields.find((field) => field === failure.problem.at) : undefined;
  return {
    item: (field) =>
      refused.value && of(refused.value) === field ? { validateStatus: "error", help: refused.value.message } : {},
    rest: computed(() => (refused.value && !of(refused.value) ? refused.value.message : "")),
    send: async (call) => {
      try {
        await call();
        refused.value = null;
        return true;
      } catch (failure) {
        refused.value = failure as Error;
        return false;
      }
    },
  };
}
