/** The film's geometry: what stands on each disk at a step, as blocks on one true scale. Pixels only, no rule. */

export interface Piece {
  row: number;
  first_lba: number;
  sectors: number;
  whole: boolean;
}
interface FrameChange {
  disk: string;
  come: Piece[];
  gone: Piece[];
}
export interface Frame {
  step: number;
  changes: FrameChange[];
}
export interface FilmBlock extends Piece {
  y: number;
  height: number;
  lit: boolean;
}
export interface FilmColumn {
  disk: string;
  sectors: number;
  height: number;
  blocks: FilmBlock[];
}

const LEAST = 4;
const same = (one: Piece, two: Piece): boolean =>
  one.row === two.row && one.first_lba === two.first_lba && one.sectors === two.sectors && one.whole === two.whole;

/** What stands where after `step`, and what came to stand with it. */
export function standing(film: readonly Frame[], step: number): Map<string, { pieces: Piece[]; come: Piece[] }> {
  const disks = new Map<string, { pieces: Piece[]; come: Piece[] }>();
  for (const frame of film) {
    if (frame.step > step) break;
    for (const disk of disks.values()) disk.come = [];
    for (const { disk, come, gone } of frame.changes) {
      const pieces = (disks.get(disk)?.pieces ?? []).filter((piece) => !gone.some((other) => same(piece, other)));
      disks.set(disk, { pieces: [...pieces, ...come], come: frame.step ? come : [] });
    }
  }
  return disks;
}

/** The disks as columns of at most `height` pixels, all on the scale of the largest. */
export function filmColumns(
  film: readonly Frame[],
  step: number,
  disks: readonly { name: string; sectors: number }[],
  height: number,
): FilmColumn[] {
  const stands = standing(film, step);
  const scale = height / Math.max(1, ...disks.map((disk) => disk.sectors));
  return disks.map(({ name, sectors }) => {
    const { pieces, come } = stands.get(name) ?? { pieces: [], come: [] };
    const blocks = pieces
      .map((piece) => ({
        ...piece,
        y: piece.first_lba * scale,
        height: Math.max(LEAST, piece.sectors * scale),
        lit: come.some((other) => same(piece, other)),
      }))
      .sort((one, two) => one.first_lba - two.first_lba);
    apart(blocks, sectors * scale);
    return { disk: name, sectors, height: sectors * scale, blocks };
  });
}

/** Small blocks keep their least height without lying on their neighbours. */
function apart(blocks: FilmBlock[], bottom: number): void {
  for (const [index, block] of blocks.entries()) {
    const before = blocks[index - 1];
    if (before && block.y < before.y + before.height) {
      const shift = before.y + before.height - block.y;
      block.y += shift;
      block.height = Math.max(LEAST, block.height - shift);
    }
  }
  let limit = bottom;
  for (const block of [...blocks].reverse()) {
    const over = block.y + block.height - limit;
    if (over > 0) {
      const less = Math.min(over, Math.max(0, block.height - LEAST));
      block.height -= less;
      block.y -= over - less;
    }
    limit = block.y;
  }
}

/** Bytes over the steps up to `step`, where all are known. */
export function soFar(steps: readonly { write_bytes: number | null }[], step: number): number | null {
  let bytes: number | null = 0;
  for (const one of steps.slice(0, step)) {
    bytes = bytes === null || one.write_bytes === null ? null : bytes + one.write_bytes;
  }
  return bytes;
}
