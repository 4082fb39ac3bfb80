/** The workshop's defaults. */
import { queryOptions } from "@tanstack/vue-query";
import { client, data, type Schemas } from "./client";

export type Settings = Schemas["SettingsModel"];
export type SettingsIn = Schemas["SettingsIn"];

export const settingsQuery = () =>
  queryOptions({ queryKey: ["settings"], queryFn: () => data(client.GET("/api/settings")) });

export const writeSettings = (body: SettingsIn): Promise<Settings> => data(client.PUT("/api/settings", { body }));
