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

const keyed = (key: string) => ({ params: { path: { key } } });
export type RealDisk = Schemas["RealDiskModel"];
const LOOK_EVERY = 2000; // milliseconds, so that a disk that comes or goes is seen within three seconds
/** The disks that are attached to this machine, looked at again and again while they are shown. */
export const realDisksQuery = () =>
  queryOptions({
    queryKey: ["disks"],
    queryFn: async () => await data(client.GET("/api/disks")),
    refetchInterval: (state) => (state.state.data?.allowed ? LOOK_EVERY : false),
  });
export const beginRealDisk = (key: string, although_in_use: boolean): Promise<Progress> =>
  data(client.POST("/api/disks/{key}/read", { ...keyed(key), body: { although_in_use } }));

export const benchQuery = () =>
  queryOptions({ queryKey: ["bench"], queryFn: async () => (await data(client.GET("/api/bench"))).disks });

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
