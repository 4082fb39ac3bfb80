/** One stream of events for all windows of this browser: browsers open few connections to one server at a time. */
import { afterMove, type Place } from "./places";

interface Connecting {
  onconnect: ((event: MessageEvent) => void) | null;
}
const AGAIN = 20_000; // milliseconds until a refused stream is asked for once more
const ports = new Set<MessagePort>();
let source: EventSource | null = null;
let lost = false;
let here: { what: "here"; places: Place[] } | null = null; // for a window that joins later

function send(text: string): void {
  for (const port of ports) port.postMessage(text);
}

function open(): void {
  source?.close();
  source = new EventSource("/api/events");
  source.onopen = () => {
    if (lost) send('{"what":"all"}'); // whatever was told meanwhile was missed
    lost = false;
  };
  source.onmessage = (event: MessageEvent<string>) => {
    const told = JSON.parse(event.data) as { what: string; places?: Place[] } & Place;
    if (told.what === "here") here = { what: "here", places: told.places ?? [] };
    else if (told.what === "moved" && here) here.places = afterMove(here.places, told);
    send(event.data);
  };
  source.onerror = () => {
    lost = true;
    if (source?.readyState === EventSource.CLOSED) setTimeout(open, AGAIN);
  };
}

(self as unknown as Connecting).onconnect = (event) => {
  const port = event.ports[0];
  if (!port) return;
  ports.add(port);
  port.onmessage = (message: MessageEvent<string>) => {
    if (message.data === "leave") ports.delete(port);
    else if (message.data === "again") open();
  };
  if (here) port.postMessage(JSON.stringify(here));
  if (!source) open();
};
