/** The geometry of the ladder: which rungs are shown at first, and how long each is on one true scale. */
import type { Offer } from "../api/buy";

const BELOW = 3; // rungs shown that do not fit
const ABOVE = 3; // rungs shown that are comfortable

/** The rungs around the two lines: the last few that do not fit, every tight one, the first few comfortable ones. */
export function around(offers: readonly Offer[], chosen: string): Offer[] {
  const firstFit = offers.findIndex((offer) => offer.verdict === "tight" || offer.verdict === "comfortable");
  if (firstFit < 0) return offers.slice(-BELOW - 1);
  const firstGood = offers.findIndex((offer) => offer.verdict === "comfortable");
  const last = firstGood < 0 ? offers.length : firstGood + ABOVE;
  return offers.filter(
    (offer, place) => (place >= firstFit - BELOW && place < last) || (chosen !== "" && offer.name === chosen),
  );
}

/** Where a size stands, in percent of the width; the largest rung ends a little before the edge. */
export function scale(
  offers: readonly Pick<Offer, "size_bytes">[],
  lines: readonly (number | null)[],
): (bytes: number) => number {
  const most = Math.max(1, ...offers.map((offer) => offer.size_bytes), ...lines.map((line) => line ?? 0));
  return (bytes) => (bytes / most) * 98;
}
