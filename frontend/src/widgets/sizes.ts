/** Sizes as text, to the letter as the server writes them. Pure; whole numbers all the way. */
export type Units = "binary" | "decimal";

const NAMES = {
  binary: ["B", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB"],
  decimal: ["B", "kB", "MB", "GB", "TB", "PB", "EB"],
} as const;

/** Three significant digits and a unit: `201 GiB`, `70.3 GiB`, `980 MiB`. */
export function sizeText(bytes: number, units: Units): string {
  const step = units === "binary" ? 1024n : 1000n;
  const names = NAMES[units];
  const value = BigInt(Math.abs(Math.round(bytes)));
  let scale = 1n;
  let index = 0;
  while ((value * 2n + scale) / (2n * scale) >= step && index < names.length - 1) {
    scale *= step;
    index += 1;
  }
  let digits = index ? 2 : 0;
  let scaled = rounded(value, scale, digits);
  while (scaled >= 1000n && digits > 0) scaled = rounded(value, scale, --digits);
  const tenth = 10n ** BigInt(digits);
  const part = scaled % tenth;
  const figure = part ? `${scaled / tenth}.${part.toString().padStart(digits, "0")}` : `${scaled / tenth}`;
  return `${bytes < 0 ? "-" : ""}${figure} ${names[index]}`;
}

const rounded = (value: bigint, scale: bigint, digits: number) =>
  (value * 10n ** BigInt(digits) * 2n + scale) / (2n * scale);
