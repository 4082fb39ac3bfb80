/** How a job is carried out, beside the job in the query cache; asked again whenever the job changes. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, type Ref } from "vue";
import { units } from "../widgets/units";
import { settle } from "./cache";
import { client, data, type Job, type Schemas } from "./client";

export type Carry = Schemas["CarryModel"];
export type Steps = Schemas["StepsModel"];
export type Step = Schemas["StepModel"];
export type Way = Schemas["WayModel"];
export type Run = Schemas["RunModel"];
export type Failure = Schemas["FailureModel"];
export type Question = Schemas["QuestionModel"];
export type Item = Schemas["ItemModel"];
export type RecordEntry = Schemas["RecordRequest"];

export function useCarry(job: Ref<Job>) {
  const queries = useQueryClient();
  const key = computed(() => ["carry", job.value.id, job.value.version, units.value] as const);
  const at = () => ({ params: { path: { job_id: job.value.id }, query: { units: units.value } } });
  const query = useQuery({
    queryKey: key,
    queryFn: () => data(client.GET("/api/jobs/{job_id}/carry", at())),
    placeholderData: (before: Carry | undefined) => before,
    refetchOnWindowFocus: "always",
    retry: false,
    // What is left of the present step is the server's word; it is asked anew as long as one stands there.
    refetchInterval: (asked) => (asked.state.data?.run?.present ? 10_000 : false),
  });
  const refused = ref("");
  const busy = ref(false);

  /** True where it was recorded; `refused` says why not. */
  async function send(call: Promise<Carry>): Promise<boolean> {
    busy.value = true;
    try {
      await settle(queries, key.value, await call);
      refused.value = "";
      void queries.invalidateQueries({ queryKey: ["jobs"] });
      return true;
    } catch (error) {
      refused.value = (error as Error).message;
      void query.refetch();
      return false;
    } finally {
      busy.value = false;
    }
  }
  const tick = (item: string, on: boolean) =>
    send(data(client.POST("/api/jobs/{job_id}/ticks", { ...at(), body: { item, on } })));
  const record = (entry: Partial<RecordEntry> & Pick<RecordEntry, "what">) =>
    send(data(client.POST("/api/jobs/{job_id}/record", { ...at(), body: { note: "", ...entry } as RecordEntry })));

  /** What the log of the script filled, in words. Throws with the reason why it was refused. */
  async function giveLog(text: string): Promise<Schemas["LogTaken"]> {
    const path = { job_id: job.value.id };
    const taken = await data(client.POST("/api/jobs/{job_id}/log", { params: { path }, body: { text } }));
    await query.refetch();
    void queries.invalidateQueries({ queryKey: ["check", job.value.id] });
    void queries.invalidateQueries({ queryKey: ["jobs"] });
    return taken;
  }

  return {
    carry: computed(() => query.data.value ?? null),
    trouble: computed(() => query.error.value?.message ?? ""),
    load: () => query.refetch(),
    refused,
    busy,
    tick,
    record,
    giveLog,
  };
}
export type CarryStore = ReturnType<typeof useCarry>;

export const handOver = (job: number, form: string): string => `/api/jobs/${job}/hand-over/${form}`;

/** An address to which the script of a job tells how far it is, once. */
export const askTell = (job_id: number): Promise<Schemas["TellModel"]> =>
  data(client.POST("/api/jobs/{job_id}/tell", { params: { path: { job_id } } }));
