/** What the server refused of a form: each item says what was wrong with it, the rest stands under the form. */
import { computed, shallowRef, type ComputedRef } from "vue";
import { ProblemError, sentence } from "../api/client";

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
  /** What was wrong with one of the fields; where it stands need not be said. */
  const ofItem = computed(() => {
    const problem = refused.value instanceof ProblemError ? refused.value.problem : null;
    return problem && fields.includes(problem.at ?? "")
      ? { field: problem.at, words: sentence({ ...problem, at: "" }) }
      : null;
  });
  return {
    item: (field) => (ofItem.value?.field === field ? { validateStatus: "error", help: ofItem.value.words } : {}),
    rest: computed(() => (refused.value && !ofItem.value ? refused.value.message : "")),
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
