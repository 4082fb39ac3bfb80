/** The bytes of a file that was dropped or picked, as the server takes them; what is in it is told there. */
import { readListing, type Reading } from "../api/reading";
import type { Survey } from "../api/client";

export const MOST_BYTES = 8_000_000; // of a file that is dropped, a listing or a log

export async function readFile(file: File, onto?: Survey): Promise<Reading> {
  if (file.size > MOST_BYTES) {
    const mb = Math.round(file.size / 1e6).toLocaleString("en");
    throw new Error(
      `${file.name} has ${mb} MB, a listing at most 8 MB. If it is an image of a disk, read it where it stands: ` +
        "ylemorph survey PATH.",
    );
  }
  let bytes: ArrayBuffer;
  try {
    bytes = await file.arrayBuffer();
  } catch {
    throw new Error(`${file.name} cannot be read. A folder cannot be dropped here; pick the file itself.`);
  }
  try {
    return await readListing({ data: base64(new Uint8Array(bytes)), ...(onto ? { onto } : {}) });
  } catch (error) {
    throw new Error(`${file.name}: ${(error as Error).message}`, { cause: error });
  }
}

/** As the server takes the bytes of a file. */
export function base64(bytes: Uint8Array): string {
  let text = "";
  for (let at = 0; at < bytes.length; at += 32_768) text += String.fromCharCode(...bytes.subarray(at, at + 32_768));
  return btoa(text);
}
