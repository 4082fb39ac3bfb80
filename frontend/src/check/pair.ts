/** Plan and finished disk as two columns on one true scale. Pixels only, no rule. */

interface Place {
  first_lba: number;
  sectors: number;
}
interface Row {
  number: number | null;
  label: string;
  planned: Place | null;
  found: Place | null;
  codes: string[];
}
export interface PairBlock {
  key: string;
  label: string;
  y: number;
  height: number;
  differs: boolean;
  row: number | null;
  at: number; // of its words
}

const WORDS = 14;
const LEAST = 6;

/** One side: blocks in the order of their starts, each high enough to be seen. */
export function pairColumn(
  rows: readonly Row[],
  side: "planned" | "found",
  sectors: number,
  height: number,
): PairBlock[] {
  const scale = height / Math.max(1, sectors);
  const blocks = rows
    .flatMap((row) => {
      const place = row[side];
      if (!place) return [];
      const block: PairBlock = {
        key: `${row.number ?? row.label}`,
        label: row.label,
        y: place.first_lba * scale,
        height: Math.max(LEAST, place.sectors * scale),
        differs: row.codes.length > 0,
        row: row.number,
        at: 0,
      };
      return [block];
    })
    .sort((one, two) => one.y - two.y);
  let limit = 0;
  for (const block of blocks) {
    const over = limit - block.y;
    if (over > 0) {
      block.y = limit;
      block.height = Math.max(LEAST, block.height - over);
    }
    limit = block.y + block.height;
  }
  limit = height;
  for (const block of [...blocks].reverse()) {
    const over = block.y + block.height - limit;
    if (over > 0) {
      const less = Math.min(over, Math.max(0, block.height - LEAST));
      block.height -= less;
      block.y -= over - less;
    }
    limit = block.y;
  }
  let words = 0;
  for (const block of blocks) {
    block.at = Math.max(words + WORDS, block.y + Math.min(block.height / 2 + 4, WORDS));
    words = block.at;
  }
  return blocks;
}
