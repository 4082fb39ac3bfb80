/** The finished disk against the plan, beside the job in the query cache. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, type Ref } from "vue";
import { units } from "../widgets/units";
import { settle } from "./cache";
import { client, data, ProblemError, type Job, type Schemas, type Survey } from "./client";

export type CheckBack = Schemas["CheckBackModel"];
export type Difference = Schemas["MendedDifference"];
export type ComparedRow = Schemas["ComparedRow"];

export function useCheck(job: Ref<Job>) {
  const queries = useQueryClient();
  const number = ref<number | null>(null);
  const key = computed(() => ["check", job.value.id, job.value.version, units.value, number.value] as const);
  const at = () => ({ params: { path: { job_id: job.value.id }, query: { units: units.value } } });
  const query = useQuery({
    queryKey: key,
    queryFn: () => {
      const { path, query } = at().params;
      return data(
        client.GET("/api/jobs/{job_id}/check", { params: { path, query: { ...query, number: number.value } } }),
      );
    },
    placeholderData: (before: CheckBack | undefined) => before,
    retry: false,
  });
  const refused = ref("");
  /** Another disk than the job names: kept until somebody says whether it is meant. */
  const doubtful = ref<{ survey: Survey; why: string } | null>(null);

  async function send(call: Promise<CheckBack>): Promise<boolean> {
    try {
      const read = await call;
      number.value = null;
      await settle(queries, key.value, read);
      refused.value = "";
      void queries.invalidateQueries({ queryKey: ["jobs"] });
      void queries.invalidateQueries({ queryKey: ["job", job.value.id] });
      return true;
    } catch (error) {
      refused.value = (error as Error).message;
      return false;
    }
  }
  async function compare(survey: Survey, sure = false): Promise<void> {
    doubtful.value = null;
    const body = { survey, sure };
    try {
      await send(
        data(client.POST("/api/jobs/{job_id}/check", { ...at(), body })).catch((error: unknown) => {
          if (error instanceof ProblemError && error.problem.at === "sure") {
            doubtful.value = { survey, why: error.problem.detail };
          }
          throw error;
        }),
      );
    } finally {
      if (doubtful.value) refused.value = "";
    }
  }
  /** Why it should not be called done, until it was said that it is meant. */
  const unfinished = ref("");
  async function close(body: Schemas["CloseRequest"]): Promise<void> {
    unfinished.value = "";
    await send(
      data(client.POST("/api/jobs/{job_id}/close", { ...at(), body })).catch((error: unknown) => {
        if (error instanceof ProblemError && error.problem.at === "sure") unfinished.value = error.problem.detail;
        throw error;
      }),
    );
    if (unfinished.value) refused.value = "";
  }
  const reopen = () => send(data(client.POST("/api/jobs/{job_id}/reopen", at())));

  return {
    check: computed(() => query.data.value ?? null),
    trouble: computed(() => query.error.value?.message ?? ""),
    load: () => query.refetch(),
    number,
    refused,
    doubtful,
    compare,
    close,
    unfinished,
    reopen,
  };
}
