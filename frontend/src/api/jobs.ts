/** Jobs: the list and each job in the query cache; writes of one job go one after the other. */
import { infiniteQueryOptions, keepPreviousData, queryOptions, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, nextTick, ref, shallowRef, watch, type Ref } from "vue";
import { units } from "../widgets/units";
import type { paths } from "./schema";
import { client, data, ProblemError, type Change, type Job, type Schemas } from "./client";

/** Which jobs of the list; without anything all of them, the open ones first. */
type Asked = NonNullable<paths["/api/jobs"]["get"]["parameters"]["query"]>;
export type Wanted = Pick<Asked, "text" | "stage" | "verdict">;
const PAGE = 60;

/** The list, page by page. */
export const jobsQuery = (wanted: Wanted) =>
  infiniteQueryOptions({
    queryKey: ["jobs", wanted],
    queryFn: ({ pageParam, signal }) =>
      data(client.GET("/api/jobs", { params: { query: { ...wanted, after: pageParam, count: PAGE } }, signal })),
    initialPageParam: "",
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
  });

/** Those that a choice of a job offers: the last changed of the open ones, and the one that is chosen. */
export const choiceQuery = (chosen: number) =>
  queryOptions({
    queryKey: ["jobs", "choice", chosen],
    queryFn: async () => {
      const { jobs } = await data(client.GET("/api/jobs", { params: { query: { count: 100 } } }));
      if (!chosen || jobs.some((job) => job.id === chosen)) return jobs;
      const query = { id: chosen };
      return [...(await data(client.GET("/api/jobs", { params: { query } }))).jobs, ...jobs];
    },
    placeholderData: keepPreviousData,
  });

export type Fields = Schemas["JobFields"];

export async function createJob(fields: Fields): Promise<Job> {
  return await data(client.POST("/api/jobs", { body: fields, params: { query: { units: units.value } } }));
}

export async function deleteJob(id: number): Promise<void> {
  await data(client.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: id } } }));
}

export async function sampleJob(): Promise<Job> {
  return await data(client.POST("/api/jobs/sample", { params: { query: { units: units.value } } }));
}

export async function renameJob(id: number, name: string): Promise<void> {
  const params = { path: { job_id: id } };
  await data(client.POST("/api/jobs/{job_id}/changes", { params, body: { kind: "describe", name } }));
}

export type Preview = Schemas["PreviewModel"];

/** What changes would give while a drag goes on: one question at a time, the newest next, older answers dropped. */
export function usePreview(id: Ref<number>) {
  const shown = shallowRef<Preview | null>(null);
  const late = ref(false);
  let waiting: Change | null = null;
  let running = false;
  let round = 0;

  async function ask(change: Change): Promise<void> {
    waiting = change;
    if (running) return;
    running = true;
    const mine = round;
    const timer = setTimeout(() => (late.value = true), 400);
    try {
      while (waiting && mine === round) {
        const body: Change = waiting;
        waiting = null;
        const params = { path: { job_id: id.value }, query: { units: units.value } };
        const answer = await data(client.POST("/api/jobs/{job_id}/preview", { params, body }));
        if (mine === round) shown.value = answer;
        late.value = false;
      }
    } catch {
      late.value = true; // the last good picture stays
    } finally {
      clearTimeout(timer);
      running = false;
    }
  }

  function end(): void {
    round += 1;
    waiting = null;
    shown.value = null;
    late.value = false;
  }
  return { shown, late, ask, end };
}

/** A write that met a job changed elsewhere: how it stands now, and what this window wanted. */
export interface Meanwhile {
  sentence: string;
  theirs: Job;
  again: () => Promise<boolean>;
}

/** The places that send changes; a refusal is shown where it was caused. */
export type Form = "page" | "row" | "margins" | "facts" | "disk" | "confirm" | "names" | "growth";

const key = (id: number) => ["job", id, units.value] as const;

/** One open job. Writes queue up so that each carries the version that the one before it made. */
export function useJob(id: Ref<number>) {
  const queries = useQueryClient();
  const at = (job_id: number) => ({ params: { path: { job_id }, query: { units: units.value } } });
  const query = useQuery({
    queryKey: computed(() => key(id.value)),
    queryFn: ({ queryKey }) => data(client.GET("/api/jobs/{job_id}", at(queryKey[1]))),
    refetchOnWindowFocus: "always",
    retry: false, // a job that is broken or gone does not become better by asking again
    // A stale answer for an older version of the job is dropped.
    structuralSharing: (before, read) => (before && (before as Job).version > (read as Job).version ? before : read),
  });
  const job = computed(() => query.data.value ?? null);
  const saving = ref(0);
  const failed = ref<string | null>(null);
  const refusal = shallowRef<{ form: Form; error: ProblemError } | null>(null);
  const meanwhile = shallowRef<Meanwhile | null>(null);
  /** What a reading said when it became this job's source. */
  const words = ref<string[]>([]);
  let last: Promise<unknown> = Promise.resolve();

  watch(
    id,
    (now) => {
      words.value = queries.getQueryData<string[]>(["words", now]) ?? [];
      refusal.value = failed.value = null;
    },
    { immediate: true },
  );

  const match = () => ({ "If-Match": String(job.value?.version ?? "*") });
  const keep = (read: Job) => queries.setQueryData(key(read.id), read);

  /** True where it was made; `refusal` or `meanwhile` say why not. */
  function write(form: Form, call: (headers: Record<string, string>) => Promise<Job>): Promise<boolean> {
    const run = async (): Promise<boolean> => {
      saving.value += 1;
      try {
        await nextTick(); // the page shows what the write before made of the job
        keep(await call(match()));
        refusal.value = failed.value = null;
        void queries.invalidateQueries({ queryKey: ["jobs"] });
        return true;
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        if (error.problem.status === 409) {
          meanwhile.value = {
            sentence: error.problem.detail,
            theirs: error.problem.job as Job,
            again: () => write(form, call),
          };
        } else refusal.value = { form, error };
        return false;
      } finally {
        saving.value -= 1;
      }
    };
    const next = last.then(run, run);
    last = next;
    return next;
  }

  const here = () => at(id.value);
  /** What is decided by the row as it stands is a function, asked once it is its turn; null where there is nothing. */
  const change = (asked: Change | (() => Change | null), form: Form = "page") =>
    write(form, async (headers) => {
      const body = typeof asked === "function" ? asked() : asked;
      if (!body) return job.value!;
      return await data(client.POST("/api/jobs/{job_id}/changes", { ...here(), body, headers }));
    });
  const undo = () => write("page", (headers) => data(client.POST("/api/jobs/{job_id}/undo", { ...here(), headers })));
  const redo = () => write("page", (headers) => data(client.POST("/api/jobs/{job_id}/redo", { ...here(), headers })));

  const goTo = (number: number) =>
    write("page", (headers) => {
      const { query } = here().params;
      const params = { path: { job_id: id.value, number }, query };
      return data(client.POST("/api/jobs/{job_id}/history/{number}", { params, headers }));
    });
  /** A hundred changes at once, the newest first; older ones with `before`. */
  const history = (before?: number) =>
    data(client.GET("/api/jobs/{job_id}/history", { params: { path: { job_id: id.value }, query: { before } } }));

  /** What was refused in one form, or nothing. */
  const refusedIn = (...forms: Form[]) =>
    computed(() => (refusal.value && forms.includes(refusal.value.form) ? refusal.value.error : null));
  const forgive = () => (refusal.value = null);

  /** Keep words beside a job until it is left for good. */
  function announce(lines: string[]): void {
    words.value = lines;
    queries.setQueryData(["words", id.value], lines);
  }

  /** Answer the question of `meanwhile`: keep what the other window made, or make this window's change on top. */
  async function settle(mine: boolean): Promise<void> {
    const open = meanwhile.value;
    meanwhile.value = null;
    if (!open) return;
    keep(open.theirs);
    if (mine) await open.again();
    else await query.refetch();
  }

  return {
    job,
    trouble: computed(() => query.error.value?.message ?? null),
    broken: computed(() =>
      query.error.value instanceof ProblemError ? query.error.value.problem.status === 422 : false,
    ),
    meanwhile,
    words,
    saving: computed(() => saving.value > 0),
    load: () => query.refetch(),
    change,
    undo,
    redo,
    goTo,
    history,
    settle,
    refusedIn,
    forgive,
    announce,
  };
}

export type JobStore = ReturnType<typeof useJob>;

/** Words for a job that is only now being begun; its page shows them once it is open. */
export function useAnnounce() {
  const queries = useQueryClient();
  return (id: number, lines: string[]) => queries.setQueryData(["words", id], lines);
}
