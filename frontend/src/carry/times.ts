/** Durations for reading, as the server writes them. */

export function duration(seconds: number): string {
  if (seconds < 60) return `${seconds} s`;
  const minutes = Math.floor((seconds + 30) / 60);
  if (minutes < 90) return `${minutes} min`;
  const rounded = Math.floor((minutes + 5) / 10) * 10;
  const [hours, rest] = [Math.floor(rounded / 60), rounded % 60];
  return rest ? `${hours} h ${rest} min` : `${hours} h`;
}

/** Where a time stands on an axis that shows seconds and days alike: 0 to 1 between `least` and `most`. */
export function onAxis(seconds: number, least: number, most: number): number {
  const [a, b] = [Math.log(Math.max(1, least)), Math.log(Math.max(2, most))];
  return b > a ? Math.min(1, Math.max(0, (Math.log(Math.max(1, seconds)) - a) / (b - a))) : 0;
}

const MARKS = [60, 600, 3600, 4 * 3600, 24 * 3600, 7 * 24 * 3600];
/** Round times that lie on the axis. */
export const marks = (least: number, most: number): number[] =>
  MARKS.filter((mark) => mark > least * 1.2 && mark < most / 1.2);
