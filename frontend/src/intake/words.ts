/** What a reading says of the disk that was taken from it. */
import type { Found, Reading } from "../api/reading";

export const recognised = (reading: Reading, found: Found): string[] => [
  `Recognised: ${reading.form}.`,
  ...found.missing,
  ...(reading.unreadable ?? []),
  ...reading.conflicts,
];
