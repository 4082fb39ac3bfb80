/** What other windows change is seen here at once; who else has the same job open is known. */
import type { QueryClient, QueryKey } from "@tanstack/vue-query";
import { computed, ref, type Ref } from "vue";
import { client, windowName } from "../api/client";
import { afterMove, type Place } from "./places";

interface Told {
  what: string;
  id?: number | null;
  by?: string;
  window?: string;
  place?: string;
  who?: string;
  places?: Place[];
}

const EVERY = 45_000; // milliseconds between two notes that this window is still there
const places = ref<Place[]>([]);
let post: ((text: string) => void) | null = null;
let place = "";

/** What has to be read again after a change, by the resource that the server names. */
const CHANGED: Record<string, (id: number | null) => QueryKey[]> = {
  jobs: (id) => [
    ["jobs"],
    ...(id
      ? [
          ["job", id],
          ["carry", id],
          ["check", id],
          ["arrivals", id],
        ]
      : []),
  ],
  "jobs-file": () => [["jobs"]],
  fleets: (id) => [["fleets"], ...(id ? [["fleet", id]] : [])],
  shelf: () => [["shelf"]],
  settings: () => [["settings"]],
  people: () => [["people"]],
  bench: () => [["bench"]],
  backups: () => [["data"]],
};

function hear(text: string, queries: QueryClient): void {
  const told = JSON.parse(text) as Told;
  if (told.what === "here") places.value = told.places ?? [];
  else if (told.what === "moved") places.value = afterMove(places.value, told as Place);
  else if (told.what === "all") void queries.invalidateQueries();
  else if (told.what === "ended") void queries.invalidateQueries({ queryKey: ["session"] });
  else if (told.window !== windowName)
    for (const queryKey of CHANGED[told.what]?.(told.id ?? null) ?? []) void queries.invalidateQueries({ queryKey });
}

function listen(queries: QueryClient): void {
  if ("SharedWorker" in window) {
    const worker = new SharedWorker(new URL("./shared.worker.ts", import.meta.url), { type: "module" });
    worker.port.onmessage = (message: MessageEvent<string>) => hear(message.data, queries);
    worker.port.start();
    post = (text) => worker.port.postMessage(text);
  } else {
    const source = new EventSource("/api/events");
    source.onmessage = (message: MessageEvent<string>) => hear(message.data, queries);
  }
  setInterval(tell, EVERY);
  window.addEventListener("pagehide", () => {
    post?.("leave");
    const body = JSON.stringify({ place: "", window: windowName });
    void fetch("/api/here", { method: "POST", body, headers: headers(), keepalive: true });
  });
}

let token = "";
const headers = () => ({ "Content-Type": "application/json", "X-Ylemorph-Token": token });

function tell(): void {
  if (place) void client.POST("/api/here", { body: { place, window: windowName } }).catch(() => undefined);
}

/** Begin, or begin again after somebody signed in. */
export function beginLive(queries: QueryClient, session: string): void {
  const begun = post !== null;
  token = session;
  if (!begun) listen(queries);
  else post?.("again");
  tell();
}

/** This window shows `path` now. */
export function moved(path: string): void {
  place = path;
  tell();
}

/** Who else has a job or fleet open, each once: people by name, or windows where nobody signs in. */
export const othersAt = (under: Ref<string>) =>
  computed(() => [
    ...new Set(
      places.value
        .filter((other) => other.window !== windowName && `${other.place}/`.startsWith(under.value))
        .map((other) => other.who),
    ),
  ]);
