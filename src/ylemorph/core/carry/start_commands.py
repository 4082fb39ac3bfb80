"""What a person types who lets the target start by hand, with the system's own utilities (rule 14.1)."""

from collections.abc import Iterator

from ..disk.starting import CODE_BYTES, HIDDEN_AT, HIDDEN_BYTES, LIST_AT, LOADER_AT, LOADER_BYTES, NAMING_KINDS
from ..fit.starting import Moved, PlannedStart

# An exFAT sums its boot sector up, which no single command does.
IN_ONE_NUMBER = NAMING_KINDS - {"exfat"}


def start_commands(start: PlannedStart, sector: int, *, copies: bool) -> tuple[str, ...]:
    """Commands for an ordinary Linux; SOURCE and TARGET are the disks there. ``copies``: the code is not there yet."""
    return tuple(_commands(start, sector, copies=copies))


def _commands(start: PlannedStart, sector: int, *, copies: bool) -> Iterator[str]:
    if copies:
        yield f"dd if=SOURCE of=TARGET bs={CODE_BYTES} count=1 conv=notrunc"
        if start.reach > 1 and not start.cut:
            yield f"dd if=SOURCE of=TARGET bs={sector} skip=1 seek=1 count={start.reach - 1} conv=notrunc"
    for moved in start.named:
        if moved.was != moved.now and moved.row.fs is not None and moved.row.fs.kind in IN_ONE_NUMBER:
            yield _number(moved, moved.now * sector + HIDDEN_AT, moved.now, HIDDEN_BYTES)
    if start.patched:
        for moved in start.moved_loaders:
            yield _number(moved, LOADER_AT, moved.now, LOADER_BYTES)
            yield _number(moved, moved.now * sector + LIST_AT, moved.now + 1, LOADER_BYTES)


def _number(moved: Moved, at: int, value: int, length: int) -> str:
    """``printf`` takes bytes in octal, the lowest first."""
    octal = "".join(f"\\{byte:03o}" for byte in value.to_bytes(length, "little"))
    return f"printf '{octal}' | dd of=TARGET bs=1 seek={at} conv=notrunc   # {moved.row.name_and_number}: {value}"
