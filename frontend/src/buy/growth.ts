/** The geometry of the growth picture: days along, bytes up. */
import type { GrowingRow } from "../api/buy";

export interface Point {
  x: number;
  y: number;
}
export interface Picture {
  line: Point[];
  band: Point[];
  readings: Point[];
  size: number;
  limit: number;
  full: number | null;
  years: { x: number; label: string }[];
}
const DAY = 86_400_000;
const YEAR = 365.25;

/** From the first reading to a little past the day on which the row is full, or ten years where it is not. */
export function picture(row: GrowingRow, since: string, width: number, height: number): Picture | null {
  const { lasting, size_bytes: whole, limit_bytes: limit } = row;
  if (!lasting || whole === null || limit === null) return null;
  const now = Date.parse(since) / DAY;
  const days = row.readings.map((reading) => Date.parse(reading.day) / DAY);
  const first = Math.min(now, ...days);
  const full = lasting.full ? Date.parse(lasting.full) / DAY : null;
  const last = Math.min(full === null ? now + 10 * YEAR : now + (full - now) * 1.15 + 60, now + 30 * YEAR);
  const x = (day: number) => ((day - first) / Math.max(1, last - first)) * width;
  const low = Math.min(row.used_bytes, ...row.readings.map((reading) => reading.used_bytes)) * 0.9;
  const high = whole + (whole - low) * 0.1;
  const y = (bytes: number) =>
    height - ((Math.max(low, Math.min(bytes, high)) - low) / Math.max(1, high - low)) * height;
  const at = (perYear: number) => ({ x: x(last), y: y(row.used_bytes + (perYear * (last - now)) / YEAR) });
  const start = { x: x(now), y: y(row.used_bytes) };
  const from = new Date(first * DAY).getUTCFullYear() + 1;
  const every = Math.max(1, Math.ceil((last - first) / YEAR / 8));
  const years: Picture["years"] = [];
  for (let year = from; Date.UTC(year, 0, 1) / DAY < last; year += every) {
    years.push({ x: x(Date.UTC(year, 0, 1) / DAY), label: String(year) });
  }
  return {
    line: [start, at(lasting.per_year_bytes)],
    band: lasting.low_bytes === lasting.high_bytes ? [] : [start, at(lasting.high_bytes), at(lasting.low_bytes)],
    readings: row.readings.map((reading, place) => ({ x: x(days[place] ?? now), y: y(reading.used_bytes) })),
    size: y(whole),
    limit: y(limit),
    full: full !== null && full <= last ? x(full) : null,
    years,
  };
}
