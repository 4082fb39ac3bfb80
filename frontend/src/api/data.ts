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

/** Jobs with all that belongs to them, to be put back or doubled. */
export async function takeOut(jobs: number[]): Promise<Bundle> {
  const answer = client.GET("/api/jobs-file", { params: { query: { jobs: jobs.join(",") } } });
  return (await data(answer as Promise<{ data?: unknown; error?: unknown; response: Response }>)) as Bundle;
}

export const takeIn = async (bundle: Bundle): Promise<number[]> =>
  (await data(client.POST("/api/jobs-file", { body: { bundle } }))).jobs;
