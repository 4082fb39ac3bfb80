/** Disks sent from a customer's machine to a job or a fleet. */
import { queryOptions } from "@tanstack/vue-query";
import { client, data, type Schemas } from "./client";

export type Collect = Schemas["CollectModel"];
export type Arrival = Schemas["ArrivalModel"];
export type Goal = { job: number } | { fleet: number };

export const askCode = (goal: Goal): Promise<Collect> =>
  "job" in goal
    ? data(client.POST("/api/jobs/{job_id}/collect", { params: { path: { job_id: goal.job } } }))
    : data(client.POST("/api/fleets/{fleet_id}/collect", { params: { path: { fleet_id: goal.fleet } } }));

export const arrivalsQuery = (job_id: number) =>
  queryOptions({
    queryKey: ["arrivals", job_id],
    queryFn: async () =>
      (await data(client.GET("/api/jobs/{job_id}/arrivals", { params: { path: { job_id } } }))).arrivals,
  });
export const forgetArrival = (job_id: number, arrival_id: number) =>
  data(client.DELETE("/api/jobs/{job_id}/arrivals/{arrival_id}", { params: { path: { job_id, arrival_id } } }));
