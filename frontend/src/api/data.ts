/** The data as a whole: how the program is, backups, jobs as one file. */
import { queryOptions } from "@tanstack/vue-query";
import { client, data, type Schemas } from "./client";

export type DataState = Schemas["DataModel"];
export type Bundle = Schemas["BundleIn"]["bundle"];

export const dataQuery = () =>
  queryOptions({ queryKey: ["data"], queryFn: async () => await data(client.GET("/api/data")), retry: false });

export const backUp = (): Promise<DataState> => data(client.POST("/api/backups"));

export const putBack = (name: string): Promise<DataState> =>
  data(client.POST("/api/backups/{name}/restore", { params: { path: { name } } }));

export const jobsFile = (jobs: number[] = []): string =>
  `/api/jobs-file${jobs.length ? `?jobs=${jobs.join(",")}` : ""}`;

const one = (job_id: number) => ({ params: { path: { job_id } } });
/** A second job with all that the first one holds. */
export const copyJob = (id: number) => data(client.POST("/api/jobs/{job_id}/copy", one(id)));
/** A job that was deleted a moment ago. */
export const bringJobBack = (id: number) => data(client.POST("/api/jobs/{job_id}/back", one(id)));

export const takeIn = async (bundle: Bundle): Promise<number[]> =>
  (await data(client.POST("/api/jobs-file", { body: { bundle } }))).jobs;
