/** The shelf, a job's ladder, how long a size lasts, and fleets. */
import { queryOptions, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, type Ref } from "vue";
import { units } from "../widgets/units";
import { settle } from "./cache";
import { client, data, type Job, type Schemas } from "./client";

export type Shelf = Schemas["ShelfModel"];
export type ShelfTexts = Schemas["ShelfTexts"];
export type Ladder = Schemas["LadderModel"];
export type Offer = Schemas["ShownOffer"];
export type Slot = Ladder["slot"];
export type GrowingRow = Schemas["GrowingRow"];
export type Fleet = Schemas["FleetModel"];
export type FleetTarget = Schemas["TargetOut"];
export type Machine = Schemas["MachineOut"];
export type Wishes = Schemas["FleetIn"];
export type Mix = Schemas["MixOut"];

export const PAGE = 50; // lines of a table that the server gives page by page

export const SLOTS = ["unknown", "3.5-inch SATA", "2.5-inch SATA", "m.2 SATA", "m.2 NVMe"] as const satisfies Slot[];
export const LINK_CHOICES = ["unknown", "sata", "nvme", "usb3", "usb2", "network"] as const;
export const FORM_CHOICES = ["unknown", "3.5-inch", "2.5-inch", "m.2"] as const;

export const shelfQuery = () =>
  queryOptions({ queryKey: ["shelf"], queryFn: async () => await data(client.GET("/api/shelf")) });

export async function writeShelf(body: Schemas["ShelfIn"]): Promise<Shelf> {
  return await data(client.PUT("/api/shelf", { body }));
}

/** A job's source against the usual sizes or the shelf; asked again whenever the job or the shelf changed. */
export const ladderQuery = (
  job: Pick<Job, "id" | "version">,
  shelf: "usual" | "own",
  sector: "512" | "4096",
  slot?: Slot,
) =>
  queryOptions({
    queryKey: ["ladder", job.id, job.version, shelf, sector, slot ?? "", units.value],
    queryFn: async () =>
      await data(
        client.GET("/api/jobs/{job_id}/ladder", {
          params: {
            path: { job_id: job.id },
            query: { shelf, sector, units: units.value, ...(slot ? { slot } : {}) },
          },
        }),
      ),
    placeholderData: (before: Ladder | undefined) => before,
    retry: false,
  });

export const lastingQuery = (job: Job) =>
  queryOptions({
    queryKey: ["lasting", job.id, job.version],
    queryFn: async () => await data(client.GET("/api/jobs/{job_id}/lasting", { params: { path: { job_id: job.id } } })),
    retry: false,
  });

export type FleetLine = Schemas["FleetLineOut"];
export type FleetSortKey = "name" | "machines" | "changed";
export interface FleetFilter {
  text: string;
  sort: FleetSortKey;
  down: boolean;
  start: number;
}

export const fleetsQuery = (filter: FleetFilter) =>
  queryOptions({
    queryKey: ["fleets", filter],
    queryFn: async () => await data(client.GET("/api/fleets", { params: { query: { ...filter, most: PAGE } } })),
    placeholderData: (before: Schemas["FleetList"] | undefined) => before,
  });

export async function createFleet(body: Wishes): Promise<Fleet> {
  return await data(client.POST("/api/fleets", { body }));
}

const USUAL = ["480GB", "960GB"]; // targets where the shelf has none

/** A fleet as it begins: against the first disks of the shelf, by the proposed fit, named by its day. */
export async function beginFleet(what: string, shelf: readonly { name?: string | null }[]): Promise<Fleet> {
  const named = shelf.slice(0, 4).map((disk) => disk.name ?? "");
  const day = new Date().toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" });
  return await createFleet({
    name: `${what} of ${day}`,
    targets: named.length ? named : USUAL,
    fits: ["proportional"],
  });
}

/** Files become machines of a fleet. */
export const addFiles = (fleet_id: number, files: Schemas["FleetFile"][]): Promise<Fleet> =>
  data(client.POST("/api/fleets/{fleet_id}/files", { params: { path: { fleet_id } }, body: { files } }));

export async function deleteFleet(id: number): Promise<void> {
  await data(client.DELETE("/api/fleets/{fleet_id}", { params: { path: { fleet_id: id } } }));
}

export type FitChoice = Machine["fit"] | "best";
export type SortKey = "name" | "used" | "need" | "free" | "verdict";
export interface Filter {
  target: number;
  fit: FitChoice;
  verdict: Schemas["MachineOut"]["verdict"];
  text: string;
  sort: SortKey;
  down: boolean;
  start: number;
}
const EVERY = 600; // milliseconds between two looks while a fleet is worked out

/** One fleet with the page of machines that is shown, looked at again while it is worked out. */
export function useFleet(id: Ref<number>, filter: Ref<Filter>) {
  const queries = useQueryClient();
  const path = () => ({ fleet_id: id.value });
  const key = computed(() => ["fleet", id.value, filter.value.fit] as const);
  const query = useQuery({
    queryKey: key,
    queryFn: async () =>
      await data(client.GET("/api/fleets/{fleet_id}", { params: { path: path(), query: { fit: filter.value.fit } } })),
    refetchInterval: (state) => (state.state.data?.running ? EVERY : false),
    placeholderData: (before: Fleet | undefined) => before,
    retry: false,
  });
  const fleet = computed(() => query.data.value ?? null);
  const stamp = computed(() =>
    fleet.value
      ? `${fleet.value.generation}/${fleet.value.done}/${fleet.value.machines}/${fleet.value.changed_at}`
      : "",
  );
  const lines = useQuery({
    queryKey: computed(() => ["fleet", id.value, "machines", filter.value, stamp.value] as const),
    queryFn: async () => {
      const { verdict, ...rest } = filter.value;
      const asked = { ...rest, most: PAGE, ...(verdict ? { verdict } : {}) };
      return await data(client.GET("/api/fleets/{fleet_id}/machines", { params: { path: path(), query: asked } }));
    },
    enabled: computed(() => !!fleet.value?.targets.length),
    placeholderData: (before: Schemas["MachinesOut"] | undefined) => before,
    retry: false,
  });
  const refused = ref("");

  async function send(call: Promise<Fleet>): Promise<boolean> {
    try {
      await settle(queries, ["fleet", id.value, filter.value.fit], await call);
      refused.value = "";
      await query.refetch();
      void queries.invalidateQueries({ queryKey: ["fleets"] });
      return true;
    } catch (error) {
      refused.value = (error as Error).message;
      return false;
    }
  }
  return {
    fleet,
    machines: computed(() => lines.data.value ?? null),
    trouble: computed(() => query.error.value?.message ?? ""),
    load: () => query.refetch(),
    refused,
    wish: (body: Wishes) => send(data(client.PUT("/api/fleets/{fleet_id}", { params: { path: path() }, body }))),
    add: (files: Schemas["FleetFile"][]) => send(addFiles(id.value, files)),
    stop: (stopped: boolean) =>
      send(data(client.POST("/api/fleets/{fleet_id}/stop", { params: { path: path() }, body: { stopped } }))),
    remove: (machines: number[]) =>
      send(data(client.POST("/api/fleets/{fleet_id}/remove", { params: { path: path() }, body: { machines } }))),
    makeJobs: async (machines: number[], target: number, fit: FitChoice): Promise<number[]> => {
      const body = { machines, target, fit };
      const made = await data(client.POST("/api/fleets/{fleet_id}/jobs", { params: { path: path() }, body }));
      void queries.invalidateQueries({ queryKey: ["jobs"] });
      return made.jobs;
    },
  };
}

export const mixQuery = (fleet: Fleet, currency: string) =>
  queryOptions({
    queryKey: ["fleet", fleet.id, "mix", fleet.generation, fleet.done, fleet.machines, currency],
    queryFn: async () =>
      await data(
        client.GET("/api/fleets/{fleet_id}/mix", {
          params: { path: { fleet_id: fleet.id }, query: { currency } },
        }),
      ),
    retry: false,
  });
