/** The geometry of the picture of free space over size. */
import type { Offer } from "../api/buy";

export interface Dot {
  name: string;
  x: number;
  y: number;
  row: number;
  verdict: Offer["verdict"];
}
export interface FreePicture {
  dots: Dot[];
  most: number;
  top: number;
  rows: number;
  left: number;
}
const REACH = 4; // times the smallest comfortable disk; larger ones would press all others together

/** Dots on a true scale, sizes along and free space up; `row` keeps the names under the axis apart. */
export function picture(offers: readonly Offer[], comfort: number | null, width: number, height: number): FreePicture {
  const near = offers.filter((offer) => !comfort || offer.size_bytes <= comfort * REACH);
  const drawn = near.length > 1 ? near : offers;
  const most = Math.max(1, ...drawn.map((offer) => offer.size_bytes), comfort ?? 0) * 1.04;
  const top = Math.max(1, ...drawn.map((offer) => offer.system_free_bytes ?? 0));
  const ends: number[] = [];
  const dots = [...drawn]
    .sort((a, b) => a.size_bytes - b.size_bytes)
    .map((offer) => {
      const x = (offer.size_bytes / most) * width;
      const half = offer.name.length * 3.4 + 5;
      let row = ends.findIndex((end) => end < x - half);
      if (row < 0) row = ends.push(0) - 1;
      ends[row] = x + half;
      const y = height - ((offer.system_free_bytes ?? 0) / top) * height;
      return { name: offer.name, x, y, row, verdict: offer.verdict };
    });
  return { dots, most, top, rows: Math.max(1, ends.length), left: offers.length - drawn.length };
}
