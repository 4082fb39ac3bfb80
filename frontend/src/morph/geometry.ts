/** Where everything of the morph stands, in pixels. Pure; it draws what the server computed. */
import type { Plan, PlanRow, Schemas } from "../api/client";

export const LEAST = 7;
export const COLUMN = 44;
export const LABEL = 252; // width of the figures on the source's side

export interface Block {
  row: number | null; // null: unallocated
  y: number;
  height: number;
  bytes: number;
}

export interface Label {
  row: number; // a row's number; negative: unallocated space, by its place among the blocks
  y: number; // top of the label
  anchor: number; // middle of its block
}

export interface Ribbon {
  row: number;
  change: PlanRow["change"];
  path: string;
}

export interface Frame {
  top: number;
  height: number; // of the larger disk
  sourceX: number;
  targetX: number;
}

export interface MorphPicture {
  source: Block[];
  target: Block[];
  ribbons: Ribbon[];
  sourceBottom: number;
  targetBottom: number;
  pixelsPerByte: number;
  /** Where nothing fits: what runs past the target's end, as high as what is missing. */
  overhang: { y: number; height: number } | null;
  /** What the table of each disk cannot name, below its column; null where it reaches the whole disk. */
  beyond: { source: Stretch | null; target: Stretch | null };
}

/** A stretch of a column in pixels, and what it stands for. */
export interface Stretch {
  y: number;
  height: number;
  bytes: number;
  from: number; // where it begins on the disk, in bytes
}

interface Piece {
  row: number | null;
  at: number;
  bytes: number;
}

/**
 * Heights of pieces that fill `height` in proportion, none under the least height.
 * What the small ones gain is taken from the large ones, so that the column's own height stays true.
 */
export function heights(bytes: readonly number[], height: number): number[] {
  const total = bytes.reduce((sum, value) => sum + value, 0);
  const least = Math.min(LEAST, height / Math.max(1, bytes.length));
  const wanted = bytes.map((value) => Math.max(least, total ? (value / total) * height : 0));
  const over = wanted.reduce((sum, value) => sum + value, 0) - height;
  const spare = wanted.reduce((sum, value) => sum + value - least, 0);
  return wanted.map((value) => value - (spare > 0 ? ((value - least) / spare) * over : 0));
}

function column(pieces: readonly Piece[], top: number, height: number): Block[] {
  const sorted = [...pieces].sort((a, b) => a.at - b.at);
  const tall = heights(
    sorted.map((piece) => piece.bytes),
    height,
  );
  let y = top;
  return sorted.map((piece, index) => {
    const block = { row: piece.row, y, height: tall[index] ?? 0, bytes: piece.bytes };
    y += block.height;
    return block;
  });
}

export function picture(
  plan: Plan,
  source: Schemas["DiskModel"],
  gaps: readonly Schemas["UnallocatedModel"][],
  frame: Frame,
  sourceBeyond = 0,
): MorphPicture {
  const sourceBytes = source.sectors * source.logical_sector_bytes;
  const targetBytes = plan.target.sectors * plan.target.logical_sector_bytes;
  // Where nothing fits, rows are stacked at their least sizes and run past the end of the target.
  const stacked = plan.verdict === "does-not-fit" ? plan.rows.filter((row) => row.least_bytes !== null) : [];
  const stackBytes = stacked.reduce((sum, row) => sum + (row.least_bytes ?? 0), 0);
  const scale = frame.height / Math.max(sourceBytes, targetBytes, stackBytes, 1);
  const firsts = new Map((source.partitions ?? []).map((p) => [p.number, p.first_lba]));
  const sourcePieces: Piece[] = [
    ...plan.rows
      .filter((row) => firsts.has(row.number))
      .map((row) => ({ row: row.number, at: firsts.get(row.number) ?? 0, bytes: row.source_bytes })),
    ...gaps.map((gap) => ({ row: null, at: gap.first_lba, bytes: gap.bytes })),
  ];
  const targetPieces: Piece[] = [
    ...stacked.map((row, at) => ({ row: row.number, at, bytes: row.least_bytes ?? 0 })),
    ...plan.rows
      .filter((row) => row.first_lba !== null)
      .map((row) => ({ row: row.number, at: row.first_lba ?? 0, bytes: row.size_bytes ?? 0 })),
    ...plan.unallocated
      .filter((gap) => gap.bytes > 64 * 1024 ** 2)
      .map((gap) => ({ row: null, at: gap.first_lba, bytes: gap.bytes })),
  ];
  const sourceReach = sourceBytes - sourceBeyond;
  const targetReach = targetBytes - plan.target.unreachable_bytes;
  const blocksLeft = column(sourcePieces, frame.top, sourceReach * scale);
  const blocksRight = column(targetPieces, frame.top, (stacked.length ? stackBytes : targetReach) * scale);
  const beyond = (reach: number, bytes: number): Stretch | null =>
    bytes > 0 ? { y: frame.top + reach * scale, height: bytes * scale, bytes, from: reach } : null;
  const short = stacked.length ? plan.shortfall_bytes * scale : 0;
  return {
    source: blocksLeft,
    target: blocksRight,
    ribbons: ribbons(plan.rows, blocksLeft, blocksRight, frame),
    sourceBottom: frame.top + sourceBytes * scale,
    targetBottom: frame.top + targetBytes * scale,
    pixelsPerByte: scale,
    beyond: {
      source: beyond(sourceReach, sourceBeyond),
      target: stacked.length ? null : beyond(targetReach, plan.target.unreachable_bytes),
    },
    overhang: stacked.length ? { y: frame.top + stackBytes * scale - short, height: short } : null,
  };
}

function ribbons(rows: readonly PlanRow[], left: readonly Block[], right: readonly Block[], frame: Frame): Ribbon[] {
  const made: Ribbon[] = [];
  const byRow = (blocks: readonly Block[]) => new Map(blocks.map((block) => [block.row, block]));
  const [leftOf, rightOf] = [byRow(left), byRow(right)];
  for (const row of rows) {
    const from = leftOf.get(row.number);
    const to = rightOf.get(row.number);
    if (from && to) made.push({ row: row.number, change: row.change, path: ribbon(from, to, frame) });
  }
  return made;
}

function ribbon(from: Block, to: Block, frame: Frame): string {
  const x0 = frame.sourceX + COLUMN;
  const x1 = frame.targetX;
  const mid = (x0 + x1) / 2;
  const [a, b, c, d] = [from.y, to.y, to.y + to.height, from.y + from.height].map((y) => y.toFixed(1));
  return `M${x0} ${a}C${mid} ${a} ${mid} ${b} ${x1} ${b}V${c}C${mid} ${c} ${mid} ${d} ${x0} ${d}Z`;
}

/** Where a target row would land if it were let go at `y`: by how many places it moves, and where its edge would be. */
export function landing(blocks: readonly Block[], row: number, y: number): { steps: number; line: number } {
  const rows = blocks.filter((block) => block.row !== null);
  const from = rows.findIndex((block) => block.row === row);
  const others = rows.filter((block) => block.row !== row);
  const to = others.filter((block) => block.y + block.height / 2 < y).length;
  const before = others[to - 1];
  const after = others[to];
  const line = before ? before.y + before.height : (after?.y ?? y);
  return { steps: to - from, line };
}

const labelOf = (block: Block, index: number): number => block.row ?? -1 - index;

/**
 * Label tops, each as near to its block's middle as the others allow, none above `top`.
 * Labels that would overlap are moved apart around their common middle.
 */
export function labels(
  blocks: readonly Block[],
  height: (row: number) => number,
  top: number,
  bottom: number,
): Label[] {
  const placed: { rows: number[]; y: number; tall: number; want: number; count: number }[] = [];
  for (const [index, block] of blocks.entries()) {
    const id = labelOf(block, index);
    const tall = height(id);
    if (tall === 0) continue;
    let group = { rows: [id], y: 0, tall, want: block.y + block.height / 2 - tall / 2, count: 1 };
    group.y = Math.max(top, group.want);
    for (let before = placed.at(-1); before && before.y + before.tall > group.y; before = placed.at(-1)) {
      placed.pop();
      const count = before.count + group.count;
      const want = (before.want * before.count + (group.want - before.tall) * group.count) / count;
      group = {
        rows: [...before.rows, ...group.rows],
        y: Math.max(top, want),
        tall: before.tall + group.tall,
        want,
        count,
      };
    }
    group.y = Math.max(top, Math.min(group.y, bottom - group.tall));
    placed.push(group);
    // Moving up from the bottom may have met the group above.
    for (let i = placed.length - 1; i > 0; i -= 1) {
      const [above, below] = [placed[i - 1]!, placed[i]!];
      if (above.y + above.tall > below.y) above.y = Math.max(top, below.y - above.tall);
    }
  }
  const out: Label[] = [];
  const blockOf = new Map(blocks.map((block, index) => [labelOf(block, index), block]));
  for (const group of placed) {
    let y = group.y;
    for (const row of group.rows) {
      const block = blockOf.get(row)!;
      out.push({ row, y, anchor: block.y + block.height / 2 });
      y += height(row);
    }
  }
  return out;
}

/** A leader line from a block's edge to its label. */
export function leader(x0: number, y0: number, x1: number, y1: number): string {
  const mid = (x0 + x1) / 2;
  return `M${x0} ${y0.toFixed(1)}C${mid} ${y0.toFixed(1)} ${mid} ${y1.toFixed(1)} ${x1} ${y1.toFixed(1)}`;
}
