"""What is recognised and named, but not read: file systems, members of arrays and pools, tables of other kinds.

The offsets are those of the projects' own published headers and of the system's prober (from memory; compared with
that prober on its own test images). A row that holds one of these goes over sector by sector at its size. What is
none of them and yet has a byte that is not zero "holds something unknown": nothing is called empty by guessing.
"""

import struct
from typing import NamedTuple

from .media.medium import Window

UNKNOWN = "something unknown"
EDGE = 1 << 20


class Mark(NamedTuple):
    """``magic`` at ``offset`` from the start, or from the end where it is negative."""

    offset: int
    magic: bytes
    name: str


def _each(offsets: tuple[int, ...], magic: bytes, name: str) -> tuple[Mark, ...]:
    return tuple(Mark(offset, magic, name) for offset in offsets)


def _both_orders(offset: int, value: int, form: str, name: str) -> tuple[Mark, ...]:
    return tuple(Mark(offset, struct.pack(order + form, value), name) for order in "<>")


# Long marks first: the short ones at the end could stand in other data by chance.
FILE_SYSTEMS = (
    Mark(32_768, b"JFS1", "JFS"),
    *_each(tuple(32_769 + 2048 * n for n in range(32)), b"NSR02", "UDF"),
    *_each(tuple(32_769 + 2048 * n for n in range(32)), b"NSR03", "UDF"),
    Mark(32_769, b"CD001", "ISO 9660"),
    Mark(32_777, b"CDROM", "High Sierra"),
    *_each((65_588, 8_244), b"ReIsErFs", "ReiserFS"),
    *_each((65_588, 8_244), b"ReIsEr2Fs", "ReiserFS"),
    *_each((65_588, 8_244), b"ReIsEr3Fs", "ReiserFS"),
    Mark(65_536, b"ReIsEr4", "Reiser4"),
    *_each((1024, 2048, 4096, 8192), b"OCFSV2", "OCFS2"),
    Mark(8, b"OracleCFS", "OCFS"),
    Mark(0x10_0000, b"\x0d\xd0\x01\xc0", "VMFS volume member"),
    Mark(0x20_0000, b"\x5e\xf1\xab\x2f", "VMFS"),
    Mark(65_536, b"\x01\x16\x19\x70", "GFS"),
    Mark(0, b"hsqs", "squashfs"),
    Mark(0, b"sqsh", "squashfs"),
    Mark(0, b"-rom1fs-", "romfs"),
    *_both_orders(0, 0x28CD3D45, "I", "cramfs"),
    Mark(1024, b"\xe2\xe1\xf5\xe0", "EROFS"),
    *_both_orders(8192 + 1372, 0x00011954, "I", "UFS"),
    *_both_orders(1372, 0x00011954, "I", "UFS"),
    *_both_orders(8192 + 1372, 0x19540119, "I", "UFS2"),
    *_both_orders(65_536 + 1372, 0x19540119, "I", "UFS2"),
    *_both_orders(65_536 + 1372, 0x00011954, "I", "UFS"),
    Mark(8192, b"\x49\xe8\x95\xf9", "HPFS"),
    Mark(0x400, b"\xf5\xfc\x01\xa5", "VxFS"),
    Mark(0, b"\xce\xfa\xad\x1b", "BFS"),
    *_each((32, 544), b"BFS1", "BeFS"),
    *_each((32, 544), b"1SFB", "BeFS"),
    Mark(4096, b"SPB5", "NSS"),
    Mark(0x4000, b"HOTFIX00", "NWFS"),
    Mark(0, b"EXFS", "EXFS"),
    Mark(0, b"UBI#", "UBI"),
    Mark(0, b"\x31\x18\x10\x06", "UBIFS"),
    Mark(1024 + 6, b"\x34\x34", "NILFS2"),
    *_both_orders(512 + 504, 0xFD187E20, "I", "System V"),
    *_each((1024 + 0x18, 1024 + 0x10), b"\x5a\x4d", "Minix"),
    *(Mark(1024 + 0x10, magic, "Minix") for magic in (b"\x7f\x13", b"\x8f\x13", b"\x68\x24", b"\x78\x24")),
)

MEMBERS = (
    Mark(4096 + 24, bytes.fromhex("c68573f64e1a45ca8265f57f48ba6d81"), "bcache device"),
    *_each((512 + 4, 4096 + 512 + 4), b"!Stra0tis\x86\xff\x02", "Stratis pool member"),
    Mark(4096, b"SPACEDB ", "Windows storage pool member"),
    Mark(3072, b"PRIVHEAD", "Windows dynamic disk"),
    Mark(-512, b"PRIVHEAD", "Windows dynamic disk"),
    Mark(0, b"dmvdo001", "VDO device"),
    Mark(32, b"ORCLDISK", "Oracle ASM disk"),
    Mark(0, b"bluestore block device", "Ceph BlueStore"),
    Mark(0, b"SnAp", "snapshot store"),
    Mark(0, b"verity\0\0", "verity hashes"),
    Mark(0, b"integrt\0", "integrity device"),
    Mark(0, b"LUKS\xba\xbe", "LUKS"),
    Mark(0x4000, b"SKUL\xba\xbe", "LUKS"),
    Mark(0, b"DRBD", "DRBD device"),
    *_each((-4096 + 0x3C, -4096 + 0x3C - 4096), b"\x83\x74\x02\x6b", "DRBD device"),
    *_each((-4096 + 0x3C, -4096 + 0x3C - 4096), b"\x83\x74\x02\x67", "DRBD device"),
    Mark(0, b"HM\x01\0", "LVM 1 member"),
    Mark(0, b"HM\x02\0", "LVM 1 member"),
)

ARRAYS = (
    Mark(-1024, b"Intel Raid ISM Cfg Sig. ", "Intel RAID member"),
    *_each((-512, -512 * 257), b"\xde\x11\xde\x11", "DDF RAID member"),
    *_each((-512, -512 * 257), b"\x11\xde\x11\xde", "DDF RAID member"),
    Mark(-512, b"$XIDE$", "LSI RAID member"),
    Mark(-1024, b"NVIDIA  ", "Nvidia RAID member"),
    *_each(
        tuple(-512 * n for n in (63, 255, 256, 16, 399, 591, 675, 735, 911, 951, 974, 991, 3087)),
        b"Promise Technology, Inc.",
        "Promise RAID member",
    ),
    Mark(-512, b"\x37\xfc\x4d\x1e", "Adaptec RAID member"),
    Mark(-512, b"DPTM", "Adaptec RAID member"),
    *_each((-5632, 9 * 512 + 32, 4608 + 32), b"\xf0\x16\x78\x5a", "HighPoint RAID member"),
    *_each((-5632, 9 * 512 + 32, 4608 + 32), b"\xfd\x16\x78\x5a", "HighPoint RAID member"),
    Mark(-512 + 0x60, b"\x00\x00\x00\x2f", "Silicon Image RAID member"),
    Mark(-512, b"JM", "JMicron RAID member"),
)

TABLES = (
    Mark(508, b"\xda\xbe", "Sun table"),
    Mark(0, b"\x0b\xe5\xa9\x41", "SGI table"),
    Mark(0, b"\xc9\xc2\xd4\xc1", "AIX table"),
    *_each((512, 64), b"\x57\x45\x56\x82", "BSD table"),
    Mark(512, b"PM\0\0", "Apple table"),
)

MARKS = MEMBERS + FILE_SYSTEMS + ARRAYS + TABLES
ZFS_LABEL, ZFS_UBERBLOCKS, ZFS_MAGIC = 262_144, 131_072, 0x00BAB10C


def name_of(part: Window) -> str:
    """The name of what is recognised; empty where nothing is."""
    edges = _Edges(part)
    if _is_zfs(part):
        return "ZFS pool member"
    for mark in MARKS:
        if edges.has(mark):
            return "HFS" if mark.name == "Apple table" and _is_hfs(part) else mark.name
    return "HFS" if _is_hfs(part) else "Atari table" if _is_atari(edges.first) else ""


def array_of(part: Window) -> str:
    """Which maker's array a disk is a member of, by what stands at its end; empty where none."""
    edges = _Edges(part)
    return next((mark.name for mark in ARRAYS if mark.offset < 0 and edges.has(mark)), "")


def is_blank(part: Window, start: int = 0, stop: int | None = None) -> bool:
    """Whether the first and last MiB between ``start`` and ``stop`` hold nothing but zeros."""
    end = part.size if stop is None else stop
    if end <= start:
        return True
    head = part.read(start, min(EDGE, end - start))
    tail_from = max(start + len(head), end - EDGE)
    return _zeros(head) and _zeros(part.read(tail_from, end - tail_from))


def _zeros(data: bytes) -> bool:
    return data.count(0) == len(data)


class _Edges:
    """The first and last stretch of a part, read once; marks that lie elsewhere are read by themselves."""

    def __init__(self, part: Window) -> None:
        self.part = part
        self.first = part.read(0, min(part.size, 131_072))
        self._last = part.read(part.size - min(part.size, 131_072), min(part.size, 131_072))

    def has(self, mark: Mark) -> bool:
        size, length = self.part.size, len(mark.magic)
        if mark.offset < 0:
            at = len(self._last) + mark.offset
            if at >= 0:
                return self._last[at : at + length] == mark.magic
            return size + mark.offset >= 0 and self.part.read(size + mark.offset, length) == mark.magic
        if mark.offset + length <= len(self.first):
            return self.first.startswith(mark.magic, mark.offset)
        return mark.offset + length <= size and self.part.read(mark.offset, length) == mark.magic


def _is_zfs(part: Window) -> bool:
    """A label's ring of uberblocks, one in each KiB or more; labels stand at both ends."""
    labels = part.size // ZFS_LABEL
    for start in (0, ZFS_LABEL, (labels - 2) * ZFS_LABEL, (labels - 1) * ZFS_LABEL):
        if start < 0 or start + ZFS_LABEL > part.size:
            continue
        ring = part.read(start + ZFS_UBERBLOCKS, ZFS_UBERBLOCKS)
        heads = [ring[at : at + 8] for at in range(0, len(ring), 1024)]
        if any(head in (struct.pack("<Q", ZFS_MAGIC), struct.pack(">Q", ZFS_MAGIC)) for head in heads):
            return True
    return False


def _is_hfs(part: Window) -> bool:
    """The older HFS: its mark is two letters, so the size of its blocks is looked at too."""
    if part.size < 1536:
        return False
    head = part.read(1024, 162)
    (block,) = struct.unpack_from(">I", head, 0x14)
    return head[:2] == b"BD" and block > 0 and block % 512 == 0


def _is_atari(first: bytes) -> bool:
    """A root sector without a mark: four entries of which at least one is in use, with letters for its kind."""
    if len(first) < 512 or first[510:512] == b"\x55\xaa":
        return False
    (size,) = struct.unpack_from(">I", first, 0x1C2)
    entries = [struct.unpack_from(">B3sII", first, 0x1C6 + 12 * n) for n in range(4)]
    used = [entry for entry in entries if entry[0] & 1]
    kinds = (b"GEM", b"BGM", b"XGM", b"LNX", b"SWP", b"RAW")
    return bool(size and used) and all(kind in kinds and 0 < start < size for _, kind, start, _ in used)
