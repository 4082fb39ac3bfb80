"""What the script needs beside the disks: room for work files, and utilities."""

from typing import NamedTuple, assert_never

from .script_steps import ScriptStep, is_left

FIT_TOOLS = {"ext": ("resize2fs", "e2fsck"), "ntfs": ("ntfsresize",)}


class _Room(NamedTuple):
    """Bytes of work files for one step: while it lasts, and where one of the disks is a file; ``kept`` under a key
    afterwards, or given up."""

    passing: int = 0
    for_file: int = 0
    kept: tuple[int, int] | None = None
    given_up: int | None = None


WHOLE = 0  # the key of a whole image; rows have their numbers


def room_needed(told: list[ScriptStep]) -> tuple[int, int]:
    """Bytes that work files take at most: between devices, and where one of the disks is a file."""
    standing: dict[int, int] = {}
    between = in_files = 0
    for one in told:
        room = _room(one, standing)
        if room.kept is not None:
            standing[room.kept[0]] = room.kept[1]
        kept = sum(standing.values()) + room.passing
        between, in_files = max(between, kept), max(in_files, kept + room.for_file)
        if room.given_up is not None:
            standing.pop(room.given_up, None)
    return between, max(between, in_files)


def _room(told: ScriptStep, standing: dict[int, int]) -> _Room:
    step = told.step
    if is_left(told) or step.to is None:
        return _Room()
    old, new = told.old[1] if step.source else 0, told.new[1]
    if step.disk == "image" and step.kind in ("read", "copy", "shrink", "check"):
        return _Room(kept=(WHOLE if step.row is None else step.row, max(old, new)))
    kind = step.kind
    match kind:
        case "make":
            return _Room(for_file=new)
        case "copy":
            return _copy_room(told, old, new, standing)
        case "shrink" | "grow":
            return _Room(for_file=max(old, new))
        case "read" | "check" | "move" | "table" | "cut" | "mend-table" | "identity":
            return _Room()
        case _:
            assert_never(kind)


def _copy_room(told: ScriptStep, old: int, new: int, standing: dict[int, int]) -> _Room:
    """To the target: what is packed on the way, or comes out of a whole image, passes through a file of its own."""
    if told.step.from_disk == "image":
        return _Room(0 if told.row in standing else old, given_up=told.row)
    return _Room(old if new < old else 0)


def tools_needed(told: list[ScriptStep]) -> list[str]:
    tools = {"sfdisk", "dd"}
    for one in told:
        step = one.step
        if step.kind == "make":
            role = one.carrying.ground.plan.row(one.row).role
            tools |= {"start": {"mkfs.fat"}, "reserved": set()}.get(role, {"mkswap"})
        elif step.row is not None and not is_left(one) and step.kind in ("copy", "shrink", "grow", "check"):
            resizes = step.source and step.to and step.source.length != step.to.length
            if resizes or step.kind == "check":
                tools |= set(FIT_TOOLS.get(one.family, ()))
    return sorted(tools)
