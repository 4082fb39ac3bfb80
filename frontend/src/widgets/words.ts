/** The words of the trade and ours, in one place. */
import type { FitKey, PlanRow, Verdict } from "../api/client";

const VERDICTS: Record<NonNullable<Verdict>, string> = {
  comfortable: "Comfortable",
  tight: "Tight",
  "does-not-fit": "Does not fit",
};
/** A plan of which nothing goes over has no verdict. */
export const verdictName = (verdict: Verdict): string => (verdict ? VERDICTS[verdict] : "Nothing goes over");

export const FITS = ["same", "proportional", "rest-to-one", "even-fill", "snug"] as const satisfies FitKey[];
export const FIT_NAMES: Record<FitKey, string> = {
  same: "Same sizes",
  proportional: "Proportional",
  "rest-to-one": "Rest to one",
  "even-fill": "Even fill",
  snug: "Snug",
};
export const FIT_HINTS: Record<FitKey, string> = {
  same: "Every row keeps its size; what is left stays unallocated.",
  proportional: "Every elastic row changes by the same factor.",
  "rest-to-one": "One row takes all that is gained, or gives all that is missing.",
  "even-fill": "Every elastic row ends up equally full.",
  snug: "As small as comfort allows; the rest stays unallocated.",
};

export const ROLES = ["start", "reserved", "system", "data", "recovery", "tools", "swap", "unknown"] as const;

export const KINDS: Record<PlanRow["kind"], string> = {
  ntfs: "NTFS",
  fat16: "FAT16",
  fat32: "FAT32",
  exfat: "exFAT",
  ext2: "ext2",
  ext3: "ext3",
  ext4: "ext4",
  xfs: "XFS",
  btrfs: "btrfs",
  f2fs: "F2FS",
  refs: "ReFS",
  apfs: "APFS",
  "hfs+": "HFS+",
  swap: "swap",
  lvm: "LVM member",
  luks: "LUKS",
  bitlocker: "BitLocker",
  unknown: "no known file system",
};

export const LINKS = {
  sata: "SATA",
  nvme: "NVMe",
  usb2: "USB 2",
  usb3: "USB 3",
  network: "network",
  unknown: "link not known",
} as const;

export const SYSTEMS = { linux: "Linux", windows: "Windows", macos: "macOS" } as const;

export const HEALTH = {
  good: "says it is in good health",
  worn: "says it is worn",
  failing: "says it is failing",
  unknown: "does not tell its health",
} as const;

/** A size in a name as it is written everywhere, with a space: `480GB` and `Quillon S2 480GB` as they are typed. */
export const spaced = (name: string): string => name.replace(/(\d)([GT]B)\b/g, "$1 $2");

/** A form or slot as the trade writes it. */
export const formName = (form: string): string => form.replace(/^m\.2/, "M.2");

/** The keys of the stages and of every screen, as the help lists them. */
export const KEYS: readonly (readonly [string, string])[] = [
  ["↑ ↓", "choose a row"],
  ["← →", "make the row smaller or larger by 1 GiB; with Shift 100 MiB, with Alt 10 GiB"],
  ["drag", "draw the edge under a row: its neighbour shares the change; with Shift only the one row"],
  ["Shift ↑ ↓", "move the row on the target; or drag its block"],
  ["1 – 5", "choose a fit"],
  ["P", "pin the row at its size, or take the pin out"],
  ["L", "leave the row behind, or carry it again"],
  ["H", "hold the row at its source size, or let it go"],
  ["R", "rest here: the row takes all that is left"],
  ["E", "type an exact size"],
  ["C", "compare two plans; there T takes the second one, X exchanges the two"],
  ["on Carry out: 1 – 5", "choose a way"],
  ["B, D, X, U", "begin the record, step done, step failed, take the last entry back"],
  ["Y", "copy the lines of the step that is under way, or of the chosen one"],
  ["P", "practise the job on the bench, or stop that"],
  ["← → Space", "the rehearsal one step back or forth, play or pause"],
  ["Z", "undo; with Shift redo"],
  ["N", "on Jobs: a new job"],
  ["N, Z", "on Shelf: another disk, the last change taken back"],
  ["↑ ↓ Enter", "on a ladder: another size, take it"],
  [
    "G then J, D, M, B, W, H",
    "go to Jobs, to the shelf's disks, to many machines, to the bench, to the workshop's defaults, to the guide",
  ],
  ["G then S, T, F, C, K", "go to Source, Target, Fit, Carry out, Check back"],
  ["?", "all keys"],
];
