/** Files of a fleet: picked, dropped, or the whole of a dropped folder, sent in parts that the server takes. */
import type { Schemas } from "../api/client";
import { base64 } from "../intake/files";

type FleetFile = Schemas["FleetFile"];
const MOST_BYTES = 10_000_000; // of one file; encoded it is a third more
const PART_BYTES = 4_000_000;
const PART_FILES = 200;

export interface Dropped {
  name: string;
  file: File;
}

export const listed = (files: FileList | File[]): Dropped[] =>
  [...files].map((file) => ({ name: file.webkitRelativePath || file.name, file }));

/** Everything under what was dropped, folders walked through. */
export async function walked(transfer: DataTransfer): Promise<Dropped[]> {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (!entries.length) return listed(transfer.files);
  const found: Dropped[] = [];
  const walk = async (entry: FileSystemEntry): Promise<void> => {
    if (entry.isFile) {
      const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
      found.push({ name: entry.fullPath.replace(/^\//, ""), file });
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
      if (!some.length) return;
      for (const inner of some) await walk(inner);
    }
  };
  for (const entry of entries) await walk(entry);
  return found;
}

/** Parts small enough to be sent; `said` hears of a file that is too large. */
export async function* parts(dropped: Dropped[], said: (text: string) => void): AsyncGenerator<FleetFile[]> {
  let part: FleetFile[] = [];
  let bytes = 0;
  for (const { name, file } of dropped) {
    if (file.size > MOST_BYTES) {
      said(
        `${name} has ${Math.round(file.size / 1e6)} MB, at most 10 MB can be sent: give it to ylemorph fleet instead.`,
      );
      continue;
    }
    if (part.length >= PART_FILES || (part.length && bytes + file.size > PART_BYTES)) {
      yield part;
      [part, bytes] = [[], 0];
    }
    part.push({ name: name.slice(0, 400), data: base64(new Uint8Array(await file.arrayBuffer())) });
    bytes += file.size;
  }
  if (part.length) yield part;
}
