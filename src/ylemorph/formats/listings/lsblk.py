"""What ``lsblk --json --bytes --output-all`` (util-linux) writes: every attached disk, used space where mounted."""

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from ...core.disk.extents import with_extents
from ...core.disk.filesystems import EXT_KINDS
from ...core.disk.listing import Listed, Unreadable, complete_listing
from ...core.disk.model import MOST_TEXT, Disk, FileSystem, Flag, Health, Inside, Kind, Link, Partition, Role
from ...core.disk.roles import LINUX_DATA
from ...core.errors import BadSurvey
from ...core.sizes import MAX_BYTES, Bytes
from .blkid import COMMAND as BLKID
from .blkid import Blocks, filled
from .kind_words import kind_from_word

COMMAND = "sudo lsblk --json --bytes --output-all > disk.json"
# Fills in what the first command leaves out where the system's device manager does not run (a rescue system).
WITHOUT_UDEV = "sudo sfdisk --json /dev/DISK > table.json"
LINKS: dict[str, Link] = {"sata": "sata", "ata": "sata", "nvme": "nvme", "usb": "usb3"}
MOST_INSIDE = 1000
CARRIERS: tuple[Kind, ...] = ("lvm", "luks")  # what lies in these is shown instead of them
FIXED_UNIT = 512  # starts are counted in this unit whatever the disk's sectors are
# Attribute bits of a GPT entry, as the number that the utility gives.
FLAG_BITS: tuple[tuple[int, Flag], ...] = ((0, "required"), (62, "hidden"), (63, "no-auto"))


class Extents(NamedTuple):
    """A physical volume as LVM's report tells it: its group, first byte, size and number of extents, those in use."""

    group: str
    start: int
    bytes: int
    total: int
    used: tuple[tuple[int, int], ...]
    packs: bool


class Beside(NamedTuple):
    """What other utilities say, by the device's path: in lsblk's words, least sizes, the health of disks."""

    blocks: Blocks
    leasts: Mapping[str, Any]
    healths: Mapping[str, Health]
    extents: Mapping[str, "Extents"]


def read_lsblk(data: Mapping[str, Any], beside: Beside) -> tuple[Listed | Unreadable, ...]:
    """All disks of the listing, each by itself; ``beside`` fills in what it leaves open.

    Raises BadSurvey where sizes are rounded or the columns are missing.
    """
    devices = data.get("blockdevices")
    if not isinstance(devices, list):
        raise BadSurvey("there is no list of devices", at="blockdevices", mend=f"run {COMMAND}")
    found: list[Listed | Unreadable] = []
    for index, device in enumerate(devices):
        at = f"blockdevices[{index}]"
        if isinstance(device, Mapping) and _is_disk(device):
            try:
                found.append(_disk(filled(device, beside.blocks), at, beside))
            except BadSurvey as error:
                place = error.at if error.at.startswith(at) else at
                name = _text(device.get("path")) or _text(device.get("name"))
                found.append(Unreadable(name, BadSurvey(error.problem, at=place, mend=error.mend)))
    return tuple(found)


def _is_disk(device: Mapping[str, Any]) -> bool:
    kind = device.get("type")
    return (kind == "disk" or (kind == "loop" and bool(device.get("children")))) and device.get("size") not in (0, "0")


def _disk(device: Mapping[str, Any], at: str, beside: Beside) -> Listed:
    size = _bytes(device, "size", at)
    sector = _whole(device.get("log-sec")) or 512
    children = list(_partitions(device))
    style = device.get("pttype") or _style_of(children)
    if children and style is None:
        raise BadSurvey("the kind of its table is missing", at=f"{at}.pttype", mend=f"add {BLKID}")
    if style not in (None, "gpt", "dos"):
        raise BadSurvey(
            f"“{style}” is a table of another kind", at=f"{at}.pttype", mend="only GPT and MBR disks can be planned"
        )
    made = Disk(
        sectors=(size or 0) // sector,
        logical_sector_bytes=sector,
        physical_sector_bytes=_whole(device.get("phy-sec")) or None,
        model=_text(device.get("model")),
        serial=_text(device.get("serial")),
        link=LINKS.get(_text(device.get("tran")), "unknown"),
        rotational=_flag(device.get("rota")),
        table="none" if not style else "gpt" if style == "gpt" else "mbr",
        table_id=_text(device.get("ptuuid")).upper() if style == "gpt" else _mbr_id(_text(device.get("ptuuid"))),
        partitions=tuple(
            _partition(child, f"{at}.children[{i}]", sector, i + 1, beside, gpt=style == "gpt")
            for i, child in enumerate(children)
        ),
        filesystem=_filesystem(device, at, size or 0, beside) if not style else None,
        health=beside.healths.get(_path(device)),
    )
    name = _text(device.get("path")) or _text(device.get("name"))
    found = complete_listing(name, made)
    if any(_is_bare(child) for child in children):
        command = WITHOUT_UDEV.replace("DISK", _node(name))
        more = f"Types and file systems are not in the listing: add {BLKID}, or the table with {command}."
        found = found._replace(missing=(*found.missing, more))
    return found


def _node(name: str) -> str:
    return name.removeprefix("/dev/") or "DISK"


def _is_bare(child: Mapping[str, Any]) -> bool:
    """Neither a type nor a file system: nobody asked the disk itself (no device manager, or not run as root)."""
    return not _text(child.get("parttype")) and not _text(child.get("fstype"))


def _style_of(children: list[Mapping[str, Any]]) -> str | None:
    """The kind of table as the partitions' types or identities tell it."""
    for child in children:
        kind, identity = _text(child.get("parttype")), _text(child.get("partuuid"))
        if kind:
            return "gpt" if "-" in kind else "dos"
        if identity:
            return "gpt" if len(identity) == 36 else "dos"
    return None


def _partitions(device: Mapping[str, Any]) -> Iterator[Mapping[str, Any]]:
    yield from (child for child in _children(device) if child.get("type") == "part")


def _partition(child: Mapping[str, Any], at: str, sector: int, place: int, beside: Beside, *, gpt: bool) -> Partition:
    start, size = _whole(child.get("start")), _bytes(child, "size", at)
    if start is None or size is None:
        raise BadSurvey("its start is missing", at=f"{at}.start", mend=f"run {COMMAND}")
    name = _text(child.get("name"))
    digits = name[len(name.rstrip("0123456789")) :][:6]
    kind = _text(child.get("parttype"))
    bits = int(_text(child.get("partflags")) or "0", 16) if _is_hex(_text(child.get("partflags"))) else 0
    flags: set[Flag] = {flag for bit, flag in FLAG_BITS if bits >> bit & 1} if gpt else set()
    if not gpt and bits & 0x80:
        flags.add("active")
    role: Role | None = "system" if "/" in _mounts(child) else None
    return Partition(
        number=_whole(child.get("partn")) or int(digits or place),
        first_lba=start * FIXED_UNIT // sector,
        sectors=size // sector,
        type=(kind.upper() or LINUX_DATA) if gpt else f"0x{int(kind, 16):02X}" if _is_hex(kind) else "0x83",
        name=_text(child.get("partlabel")),
        flags=frozenset(flags),
        role=role,
        filesystem=_filesystem(child, at, size, beside),
        uuid=_text(child.get("partuuid")).upper() if gpt else "",
    )


def _filesystem(device: Mapping[str, Any], at: str, size: int, beside: Beside) -> FileSystem | None:
    word = _text(device.get("fstype"))
    if not word:
        return None
    version = _text(device.get("fsver"))
    kind = kind_from_word(version if word == "vfat" and version else word) or "unknown"
    used, least = _used(device, at, kind, size), _whole(beside.leasts.get(_path(device)))
    told = least is not None and 0 < least <= size
    found = FileSystem(
        kind=kind,
        label=_text(device.get("label")),
        uuid=_text(device.get("uuid")),
        used_bytes=used,
        used_kind="unknown" if used is None else "mounted",
        state="locked" if kind in ("luks", "bitlocker") else "unknown",
        detail=word if kind == "unknown" else "",
        told_least_bytes=Bytes(least) if least is not None and told else None,
        told_by="resizer" if told else "unknown",
        inside=tuple(_insides(device, at))[:MOST_INSIDE],
    )
    return _with_extents(found, beside.extents.get(_path(device)), size)


def _with_extents(found: FileSystem, extents: Extents | None, size: int) -> FileSystem:
    """Of a physical volume, what LVM's own report says; nothing where that does not fit it."""
    if extents is None or found.kind != "lvm" or extents.start + extents.total * extents.bytes > size:
        return found
    try:
        made = with_extents(found, extents.start, extents.bytes, extents.total, extents.used, packs=extents.packs)
    except ValueError:
        return found
    return made.but(label=extents.group)


def _insides(device: Mapping[str, Any], at: str) -> Iterator[Inside]:
    """Volumes that the running system has opened within a partition: of LVM, of LUKS, of an array."""
    waiting = [(child, f"{at}.children[{i}]") for i, child in enumerate(_children(device))]
    for child, place in waiting[:MOST_INSIDE]:
        deeper = [(inner, f"{place}.children[{i}]") for i, inner in enumerate(_children(child))]
        word, size = _text(child.get("fstype")), _bytes(child, "size", place)
        if deeper and kind_from_word(word) in CARRIERS:
            yield from _insides(child, place)
        elif size is not None and child.get("type") != "part":
            kind = kind_from_word(word) or "unknown"
            used = _used(child, place, kind, size)
            yield Inside(
                _text(child.get("name")), size, _text(child.get("type")), kind, _text(child.get("label")), used
            )


def _children(device: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    children = device.get("children")
    return [child for child in children if isinstance(child, Mapping)] if isinstance(children, list) else []


def _used(device: Mapping[str, Any], at: str, kind: Kind, size: int) -> Bytes | None:
    """Used space as the mounted system counts it (rule 5.1b).

    The size that it states leaves the file system's own tables out; ext counts them here, as what of the partition is
    not free. A btrfs may lie on several devices and states one figure for all of them.
    """
    whole, used = _bytes(device, "fssize", at), _bytes(device, "fsused", at)
    if used is None or used > size or (kind == "btrfs" and whole is not None and whole > size):
        return None
    if kind in EXT_KINDS and whole is not None and used <= whole <= size:
        return Bytes(size - (whole - used))
    return used


def _path(device: Mapping[str, Any]) -> str:
    return _text(device.get("path")) or f"/dev/{_text(device.get('name'))}"


def _mounts(child: Mapping[str, Any]) -> list[Any]:
    several = child.get("mountpoints")
    return several if isinstance(several, list) else [child.get("mountpoint")]


def _bytes(device: Mapping[str, Any], key: str, at: str) -> Bytes | None:
    value = device.get(key)
    if value in (None, ""):
        return None
    number = _whole(value)
    if number is None:
        raise BadSurvey(
            f"“{str(value)[:20]}” is a rounded size, not bytes", at=f"{at}.{key}", mend=f"run {COMMAND}, with --bytes"
        )
    return Bytes(number)


def _whole(value: Any) -> int | None:
    """A whole number; older versions of the utility write numbers as text."""
    if isinstance(value, bool):
        return None
    text = str(value) if value is not None else ""
    number = int(text) if text.isascii() and text.isdigit() and len(text) < 20 else -1
    return number if 0 <= number <= MAX_BYTES else None


def _flag(value: Any) -> bool | None:
    return {True: True, False: False, "1": True, "0": False}.get(value) if isinstance(value, bool | str) else None


def _text(value: Any) -> str:
    return value.strip()[:MOST_TEXT] if isinstance(value, str) else ""


def _is_hex(text: str) -> bool:
    digits = text.lower().removeprefix("0x")
    return 0 < len(digits) <= 16 and all(c in "0123456789abcdef" for c in digits)


def _mbr_id(text: str) -> str:
    return f"0x{int(text, 16):08x}" if _is_hex(text) and len(text) <= 8 else text
