/** Prices as they are read: hundredths of a currency. */
export function price(hundredths: number | null, currency: string): string {
  return hundredths === null ? "" : `${(hundredths / 100).toFixed(2)} ${currency}`.trim();
}
