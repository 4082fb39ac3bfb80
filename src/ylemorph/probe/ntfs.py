"""NTFS: size, used space, usage map, last allocated byte and its owner, what cannot be moved, state."""

import struct
from collections.abc import Iterator
from typing import NamedTuple

from ..core.disk.model import FileSystem, State
from ..core.disk.starting import HIDDEN_AT, HIDDEN_BYTES
from ..core.sizes import Bytes
from .bits import count_bitmap, last_set_before
from .media.medium import Unsound, Window
from .ntfs_records import (
    DATA,
    INDEX_ALLOCATION,
    INDEX_ROOT,
    MOST_LIST_BYTES,
    MOST_LIST_ENTRIES,
    STANDARD_LIST,
    VOLUME_INFORMATION,
    VOLUME_NAME,
    Attribute,
    DataRun,
    NtfsBoot,
    NtfsStream,
    attributes_of,
    fixed_up,
    list_entries,
    read_boot,
)

OWN = (
    "$MFT", "$MFTMirr", "$LogFile", "$Volume", "$AttrDef", "root folder", "$Bitmap", "$Boot", "$BadClus", "$Secure",
    "$UpCase", "$Extend",
)  # fmt: skip
MFT, LOG, VOLUME, ROOT, BITMAP = 0, 2, 3, 5, 6
# Files that a running system does not let go of (rule 5.3).
FIXED_FILES = ("pagefile.sys", "hiberfil.sys", "swapfile.sys")
# What stands in the root folder of the volume that an operating system runs from, and nowhere else.
SYSTEM_SIGNS = ("hiberfil.sys", "windows")
SECTORS = (512, 4096)
MOST_INDEX_BYTES = 4 << 20
DIRTY = 0x0001
BITMAP_OF_RECORDS, MOST_RECORDS = 0xB0, 1 << 32
LOG_CLEAN, NO_CLIENT = 0x0002, 0xFFFF


class Volume:
    """An NTFS volume in a partition; ``record`` and ``attributes`` give its files' records."""

    def __init__(self, part: Window, boot: NtfsBoot) -> None:
        self.part = part
        self.boot = boot
        self.repaired = False
        self._mft = self._own_mft()

    def _own_mft(self) -> NtfsStream:
        """The file table: found through its own first record, or the mirror's where that is broken."""
        boot = self.boot
        try:
            first = fixed_up(self.part.read(boot.mft_lcn * boot.cluster, boot.record), b"FILE")
        except Unsound:
            first = fixed_up(self.part.read(boot.mirror_lcn * boot.cluster, boot.record), b"FILE")
            self.repaired = True
        here = [a for a in attributes_of(first) if a.type == DATA and not a.name]
        if not here:
            raise Unsound("the file table has no data")
        size = here[0].size
        runs = [run for a in here for run in a.runs]
        self._mft = NtfsStream(self.part, boot.cluster, runs, size)
        if any(a.type == STANDARD_LIST for a in attributes_of(first)):
            for attribute in self._in_other_records(first, MFT):
                if attribute.type == DATA and not attribute.name:
                    runs += attribute.runs
                    self._mft = NtfsStream(self.part, boot.cluster, runs, size)
        return self._mft

    def record(self, number: int) -> bytes:
        return fixed_up(self._mft.read(number * self.boot.record, self.boot.record), b"FILE")

    def attributes(self, number: int) -> Iterator[Attribute]:
        """All attributes of a file, those in its extension records too."""
        base = self.record(number)
        yield from attributes_of(base)
        yield from self._in_other_records(base, number)

    def _in_other_records(self, base: bytes, number: int) -> Iterator[Attribute]:
        """The attributes of a file that stand in other records, each record read once."""
        seen = {number}
        for attribute in attributes_of(base):
            if attribute.type != STANDARD_LIST:
                continue
            for _, (kind, _, other) in zip(range(MOST_LIST_ENTRIES), list_entries(self.value(attribute)), strict=False):
                if other not in seen and kind != STANDARD_LIST:
                    seen.add(other)
                    yield from attributes_of(self.record(other))

    def value(self, attribute: Attribute, most: int = MOST_LIST_BYTES) -> bytes:
        if attribute.value is not None:
            return attribute.value
        return NtfsStream(self.part, self.boot.cluster, attribute.runs, attribute.size).read(
            0, min(attribute.size, most)
        )

    def stream(self, number: int, kind: int = DATA, name: str = "") -> NtfsStream:
        """The bytes of one attribute, gathered from all its pieces. Raises Unsound where it has none."""
        runs: list[DataRun] = []
        size = 0
        for attribute in self.attributes(number):
            if attribute.type == kind and attribute.name == name:
                if attribute.value is not None:
                    return _Resident(attribute.value)
                runs += attribute.runs
                size = max(size, attribute.size)
        if not runs:
            raise Unsound(f"{OWN[number] if number < len(OWN) else number} has no data")
        return NtfsStream(self.part, self.boot.cluster, runs, size)


class _Resident(NtfsStream):
    """A stream whose bytes stand in the record itself."""

    def __init__(self, value: bytes) -> None:
        self.runs = []
        self.size = len(value)
        self._value = value

    def read(self, offset: int, length: int) -> bytes:
        if offset + length > len(self._value):
            raise Unsound("a stream ends too early")
        return self._value[offset : offset + length]


class _Stretch(NamedTuple):
    """Clusters of one owner, half-open."""

    start: int
    stop: int
    owner: str


def read_ntfs(part: Window) -> FileSystem:
    """What the volume tells; where a structure is broken the state is ``damaged`` and the rest stays unknown."""
    first = part.read(0, 512)
    boot, whole = boot_of(part, first)
    if boot is None:
        return FileSystem("ntfs", state="damaged")
    known = FileSystem("ntfs", uuid=boot.serial, cluster_bytes=Bytes(boot.cluster), state="damaged")
    if boot.size - boot.sector > part.size:
        return known
    copy = _copy_named(part, boot)
    if copy is None:
        known = known.but(notes=("backup-boot-missing",))
    size = Bytes(min(boot.size, part.size))
    known = known.but(size_bytes=size, named_start_lba=boot.hidden, copy_named_start_lba=copy)
    try:
        volume = Volume(part, boot)
        known = _with_usage(volume, known)
        label, dirty = _volume_facts(volume)
        known = known.but(label=label)
        state: State = "dirty" if dirty or not _log_is_clean(volume) else "clean"
        known, hibernated = _with_owners(volume, known)
    except (Unsound, struct.error, IndexError):
        return known
    return known.but(state="damaged" if volume.repaired or not whole else "hibernated" if hibernated else state)


def _copy_named(part: Window, boot: NtfsBoot) -> int | None:
    """Where the volume starts as the boot sector's copy behind it says; None without one, and the rest is whole."""
    if boot.size > part.size:
        return None
    copy = part.read(boot.size - boot.sector, 512)
    return int.from_bytes(copy[HIDDEN_AT : HIDDEN_AT + HIDDEN_BYTES], "little") if copy[3:11] == b"NTFS    " else None


def boot_of(part: Window, first: bytes) -> tuple[NtfsBoot | None, bool]:
    """The boot sector or its backup in the last sector, and whether the first one was good."""
    try:
        return read_boot(first), True
    except Unsound:
        pass
    for sector in SECTORS:
        try:
            backup = part.read(part.size - sector, 512)
            if backup[3:11] == b"NTFS    ":
                return read_boot(backup), False
        except Unsound:
            continue
    return None, False


def _with_usage(volume: Volume, known: FileSystem) -> FileSystem:
    boot = volume.boot
    counted = count_bitmap(boot.clusters, volume.stream(BITMAP).read)
    return known.but(
        used_bytes=Bytes(counted.used * boot.cluster),
        used_kind="counted",
        last_used_byte=Bytes(counted.end * boot.cluster),
        usage_map=counted.usage_map(boot.cluster),
        files=_files(volume),
    )


def _files(volume: Volume) -> int | None:
    """Records in use: files and folders, and the further records of large ones."""
    for attribute in volume.attributes(MFT):
        if attribute.type == BITMAP_OF_RECORDS:
            return int.from_bytes(volume.value(attribute, MOST_RECORDS // 8), "little").bit_count()
    return None


def _volume_facts(volume: Volume) -> tuple[str, bool]:
    """Label and dirty flag."""
    label, dirty = "", False
    for attribute in volume.attributes(VOLUME):
        if attribute.type == VOLUME_NAME and attribute.value:
            label = attribute.value.decode("utf-16-le", "replace")
        elif attribute.type == VOLUME_INFORMATION and attribute.value:
            dirty = bool(struct.unpack_from("<H", attribute.value, 10)[0] & DIRTY)
    return label, dirty


def _log_is_clean(volume: Volume) -> bool:
    """Whether the newer of the log's two restart pages says that nobody was writing. An empty log is clean."""
    log = volume.stream(LOG)
    newest: tuple[int, bool] | None = None
    for offset in (0, 4096):
        page = log.read(offset, 512)
        if page[:4] != b"RSTR":
            continue
        (area,) = struct.unpack_from("<H", page, 0x18)
        lsn, _, _, in_use, flags = struct.unpack_from("<QHHHH", page, area)
        newest = max(newest or (-1, True), (lsn, in_use == NO_CLIENT or bool(flags & LOG_CLEAN)))
    return newest is None or newest[1]


def _with_owners(volume: Volume, known: FileSystem) -> tuple[FileSystem, bool]:
    """Who owns the end, where the data end without the file system's own records, and what a system holds fast."""
    cluster = volume.boot.cluster
    own = [stretch for number in range(len(OWN)) for stretch in stretches_of(volume, number, OWN[number])]
    fixed, hibernated = [], False
    names = _files_in(volume, FIXED_FILES + SYSTEM_SIGNS)
    for name, number in names.items():
        if name not in FIXED_FILES:
            continue
        try:
            fixed += list(stretches_of(volume, number, name))
        except Unsound:
            continue  # an entry of the folder that is no longer in use
        if name == "hiberfil.sys":
            hibernated = _is_hibernated(volume, number)
    last = (known.last_used_byte or 0) // cluster
    holders = [s.owner for s in own + fixed if s.start < last <= s.stop]
    known = known.but(
        system_hint=next((name for name in SYSTEM_SIGNS if name in names), ""),
        end_owner=holders[0] if holders else "files" if last else "",
        data_end_byte=Bytes(_data_end(volume, own, last) * cluster),
        immovable_end_byte=Bytes(min(known.size_bytes or 0, max(s.stop for s in fixed) * cluster)) if fixed else None,
    )
    return known, hibernated


def stretches_of(volume: Volume, number: int, owner: str) -> Iterator[_Stretch]:
    for attribute in volume.attributes(number):
        for run in attribute.runs:
            if run.lcn is not None:
                yield _Stretch(run.lcn, run.lcn + run.clusters, owner)


def _data_end(volume: Volume, own: list[_Stretch], last: int) -> int:
    """The index past the last cluster in use that is none of the file system's own."""
    bitmap = volume.stream(BITMAP)
    for stretch in sorted(own, key=lambda s: -s.stop):
        if stretch.stop < last:
            return last
        if stretch.start < last <= stretch.stop:
            last = last_set_before(stretch.start, bitmap.read)
    return last


def _is_hibernated(volume: Volume, number: int) -> bool:
    """A hibernation file that holds a sleeping system begins with this word."""
    try:
        stream = volume.stream(number)
        return stream.size >= 4 and stream.read(0, 4).lower() == b"hibr"
    except Unsound:
        return False


def file_by_path(volume: Volume, path: tuple[str, ...]) -> int | None:
    """The record number of a file by the names that lead to it, case aside; None where there is none."""
    number: int | None = ROOT
    for name in path:
        if number is not None:
            number = _files_in(volume, (name.lower(),), number).get(name.lower())
    return number


def _files_in(volume: Volume, names: tuple[str, ...], folder: int = ROOT) -> dict[str, int]:
    """Record numbers of files in a folder, by name; the folder's whole index is walked, within a bound."""
    found: dict[str, int] = {}
    root = next((a.value for a in volume.attributes(folder) if a.type == INDEX_ROOT and a.name == "$I30"), None)
    if root is None:
        raise Unsound("a folder has no index")
    (block,) = struct.unpack_from("<I", root, 8)
    _collect(root[16:], names, found)
    try:
        blocks = volume.stream(folder, INDEX_ALLOCATION, "$I30")
    except Unsound:
        return found  # a small folder stands in its record alone
    if not 512 <= block <= 1 << 16:
        raise Unsound("the index blocks of a folder")
    for offset in range(0, min(blocks.size, MOST_INDEX_BYTES) - block + 1, block):
        data = blocks.read(offset, block)
        if data[:4] == b"INDX":
            _collect(fixed_up(data, b"INDX")[0x18:], names, found)
    return found


def _collect(index: bytes, names: tuple[str, ...], found: dict[str, int]) -> None:
    """The entries of one node: its header says where they begin and end."""
    at, end = struct.unpack_from("<II", index, 0)
    end = min(end, len(index))
    while at + 16 <= end:
        reference, length, key_length, flags = struct.unpack_from("<QHHH", index, at)
        if flags & 2 or length < 16:
            return
        if key_length >= 66:
            (count,) = struct.unpack_from("<B", index, at + 16 + 64)
            name = index[at + 16 + 66 : at + 16 + 66 + 2 * count].decode("utf-16-le", "replace").lower()
            if name in names:
                found[name] = reference & (2**48 - 1)
        at += length
