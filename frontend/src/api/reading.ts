/** Reading disks: listings, typed rows, the bench, and paths of the machine that Ylemorph runs on. */
import { queryOptions } from "@tanstack/vue-query";
import { client, data, type Schemas, type Survey } from "./client";

export type Reading = Schemas["ReadingModel"];
export type Found = Schemas["FoundModel"];
export type TypedTable = Schemas["TypedTable"];
export type BenchDisk = Schemas["BenchDisk"];
export type Progress = Schemas["ProgressModel"];

export const readListing = (body: Schemas["ListingText"]) => data(client.POST("/api/surveys/read", { body }));
export const readTyped = (body: TypedTable) => data(client.POST("/api/surveys/typed", { body }));

export const commandsQuery = () =>
  queryOptions({
    queryKey: ["commands"],
    queryFn: async () => (await data(client.GET("/api/surveys/commands"))).commands,
    staleTime: Infinity,
  });

export const benchQuery = () =>
  queryOptions({ queryKey: ["bench"], queryFn: async () => (await data(client.GET("/api/bench"))).disks });

const keyed = (key: string) => ({ params: { path: { key } } });
export const attach = async (key: string) => (await data(client.POST("/api/bench/{key}/attach", keyed(key)))).disks;
export const detach = async (key: string) => (await data(client.POST("/api/bench/{key}/detach", keyed(key)))).disks;
export const readBench = (key: string): Promise<Survey> => data(client.POST("/api/bench/{key}/read", keyed(key)));

export const foldersQuery = () =>
  queryOptions({
    queryKey: ["folders"],
    queryFn: async () => (await data(client.GET("/api/readings"))).folders,
    staleTime: Infinity,
  });

const one = (reading_id: string) => ({ params: { path: { reading_id } } });
export const beginReading = (path: string): Promise<Progress> => data(client.POST("/api/readings", { body: { path } }));
export const lookAtReading = (id: string): Promise<Progress> => data(client.GET("/api/readings/{reading_id}", one(id)));
export const stopReading = (id: string): Promise<Progress> =>
  data(client.DELETE("/api/readings/{reading_id}", one(id)));
