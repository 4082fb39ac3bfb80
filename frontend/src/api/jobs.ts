/** Jobs: the list as a query, one job as a small store whose writes go one after the other. */
import { queryOptions, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, shallowRef, type Ref } from "vue";
import { units } from "../widgets/units";
import { client, data, ProblemError, type Change, type Job, type Schemas } from "./client";

export const jobsQuery = () =>
  queryOptions({
    queryKey: ["jobs"],
    queryFn: async () => (await data(client.GET("/api/jobs"))).jobs,
  });

export const shelfQuery = () =>
  queryOptions({
    queryKey: ["shelf"],
    queryFn: async () => (await data(client.GET("/api/shelf"))).sizes,
    staleTime: Infinity,
  });

export type Fields = Schemas["JobFields"];

export async function createJob(fields: Fields): Promise<Job> {
  return await data(client.POST("/api/jobs", { body: fields, params: { query: { units: units.value } } }));
}

export async function deleteJob(id: number): Promise<void> {
  await data(client.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: id } } }));
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

/** One open job. Writes queue up so that each carries the version that the one before it made. */
export function useJob(id: Ref<number>) {
  const queries = useQueryClient();
  const job = shallowRef<Job | null>(null);
  const trouble = ref<string | null>(null);
  const saving = ref(0);
  const refused = shallowRef<ProblemError | null>(null);
  const meanwhile = shallowRef<Meanwhile | null>(null);
  let last: Promise<unknown> = Promise.resolve();

  async function load(): Promise<void> {
    const wanted = id.value;
    try {
      const read = await data(client.GET("/api/jobs/{job_id}", at(wanted)));
      // A stale answer for another job, or for an older version of this one, is dropped.
      if (wanted === id.value && !(job.value?.id === wanted && job.value.version > read.version)) job.value = read;
      trouble.value = null;
    } catch (error) {
      if (wanted === id.value) trouble.value = (error as Error).message;
    }
  }

  const at = (job_id: number) => ({ params: { path: { job_id }, query: { units: units.value } } });
  const match = () => ({ "If-Match": String(job.value?.version ?? "*") });

  /** True where it was made; `refused` or `meanwhile` say why not. */
  function write(call: (headers: Record<string, string>) => Promise<Job>): Promise<boolean> {
    const run = async (): Promise<boolean> => {
      saving.value += 1;
      try {
        job.value = await call(match());
        refused.value = null;
        trouble.value = null;
        void queries.invalidateQueries({ queryKey: ["jobs"] });
        return true;
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        if (error.problem.status === 409) {
          meanwhile.value = {
            sentence: error.problem.detail,
            theirs: error.problem.job as Job,
            again: () => write(call),
          };
        } else refused.value = error;
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
  const change = (body: Change) =>
    write((headers) => data(client.POST("/api/jobs/{job_id}/changes", { ...here(), body, headers })));
  const set = (body: Fields) =>
    write((headers) => data(client.PATCH("/api/jobs/{job_id}", { ...here(), body, headers })));
  const undo = () => write((headers) => data(client.POST("/api/jobs/{job_id}/undo", { ...here(), headers })));
  const redo = () => write((headers) => data(client.POST("/api/jobs/{job_id}/redo", { ...here(), headers })));

  const goTo = (number: number) =>
    write((headers) => {
      const { query } = here().params;
      const params = { path: { job_id: id.value, number }, query };
      return data(client.POST("/api/jobs/{job_id}/history/{number}", { params, headers }));
    });
  const history = async () =>
    (await data(client.GET("/api/jobs/{job_id}/history", { params: { path: { job_id: id.value } } }))).revisions;

  /** Answer the question of `meanwhile`: keep what the other window made, or make this window's change on top. */
  async function settle(mine: boolean): Promise<void> {
    const open = meanwhile.value;
    meanwhile.value = null;
    if (!open) return;
    job.value = open.theirs;
    if (mine) await open.again();
    else await load();
  }

  return {
    job,
    trouble,
    refused,
    meanwhile,
    saving: computed(() => saving.value > 0),
    load,
    change,
    set,
    undo,
    redo,
    goTo,
    history,
    settle,
  };
}

export type JobStore = ReturnType<typeof useJob>;
