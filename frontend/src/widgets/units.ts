/** Sizes for reading: three significant digits and a unit. The server alone computes with them. */
import { useLocalStorage } from "@vueuse/core";
import { sizeText, type Units } from "./sizes";

export type { Units } from "./sizes";
export const units = useLocalStorage<Units>("units", "binary");

/** `201 GiB`, `70.3 GiB`, `980 MiB`. */
export const size = (bytes: number, unit: Units = units.value): string => sizeText(bytes, unit);

/** A size with one decimal, for columns of figures: `201.3 GiB`; from a thousand of them on `1.855 TiB`. */
export function sizeFine(bytes: number, unit: Units = units.value): string {
  const [scale, name, larger] = unit === "binary" ? [1024 ** 3, "GiB", "TiB"] : [1e9, "GB", "TB"];
  const step = unit === "binary" ? 1024 : 1000;
  if (Math.abs(bytes) >= scale * step) return `${(bytes / scale / step).toFixed(3)} ${larger}`;
  return Math.abs(bytes) >= scale ? `${(bytes / scale).toFixed(1)} ${name}` : size(bytes, unit);
}

const GROUPED = new Intl.NumberFormat("en"); // made once: a drag writes dozens of them each frame

/** Exact bytes and sectors, for a tooltip. */
export function exact(bytes: number, sector = 512): string {
  return `${GROUPED.format(bytes)} bytes · ${GROUPED.format(bytes / sector)} sectors`;
}

/** `1 disk`, `2 disks`. */
export const counted = (count: number, word: string): string => `${count} ${word}${count === 1 ? "" : "s"}`;

export function percent(part: number, whole: number): string {
  return `${whole > 0 ? Math.round((part * 100) / whole) : 0} %`;
}

export function moment(text: string): string {
  const at = new Date(text);
  const today = new Date().toDateString() === at.toDateString();
  return today
    ? at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })
    : at.toLocaleDateString("en-GB", { day: "numeric", month: "short" });
}
