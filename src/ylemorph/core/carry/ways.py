"""The ways to carry a plan out (rule 13): one table with when each is possible, what it needs, risks and leaves."""

from collections.abc import Callable
from typing import NamedTuple

from ..disk.filesystems import BLOCKING, is_sealed, told_least
from ..errors import BadOption
from ..plain import sentence_case
from ..sizes import Units, format_size, known_sum
from . import build
from .finish import finish
from .ground import Ground
from .needs import (
    ASKED_FIRST,
    BACKUP,
    BACKUP_IN_PLACE,
    BACKUP_SIZE,
    BOTH,
    BOTH_AGAIN,
    FOUND,
    PERMISSION,
    ROOM,
    Need,
    Sentence,
    copies_again,
    text,
    workspace_bytes,
)  # fmt: skip
from .sequence import FoundContent, FoundTarget, Sequence, StartGoal, Step, WayKey
from .times import added


class WayKind(NamedTuple):
    """One way. ``hinders`` says why the plan itself rules it out; empty where it does not."""

    name: str
    what: str
    steps: Callable[[Ground], list[Step]]
    needs: tuple[Need, ...]
    hinders: Sentence
    suits: Sentence
    risks: str
    by_hand: Sentence
    by_hand_count: int
    workspace: Callable[[Ground], int] = lambda _ground: 0
    changes_source: bool = False


class Way(NamedTuple):
    """A way as it stands for one plan. ``open_needs``: facts that nobody gave yet.

    ``steps`` are None where none lead there, bytes where a part is not known (rule 9.2).
    """

    key: WayKey
    possible: bool
    why: str
    open_needs: tuple[str, ...]
    steps: tuple[Step, ...] | None
    seconds: tuple[int, int] | None
    read_bytes: int | None
    write_bytes: int | None
    workspace_bytes: int
    changes_source: bool


def _common(ground: Ground, units: Units) -> str:
    """What rules out every way but an image first, or all of them."""
    if ground.health == "failing":
        return "the source is failing: it is read once, into an image, before anything else"
    return _clean(ground, units)


def _clean(ground: Ground, _units: Units) -> str:
    for load in ground.loads:
        fs = load.row.row.fs
        if fs is not None and fs.state in BLOCKING and fs.state != "locked":
            return f"{load.name} is {fs.state}: {BLOCKING[fs.state]}"
    return ""


def _no_system(ground: Ground, units: Units) -> str:
    for load in ground.loads:
        if load.row.role in ("system", "start"):
            return f"{load.name} goes over, and copied files alone do not start a machine"
    return _common(ground, units)


def _not_by_copier(ground: Ground, units: Units) -> str:
    for load in ground.loads:
        if load.gets_smaller and load.row.kind == "lvm":
            return f"{load.name} is a volume group, which no copier makes smaller; its own utilities do it before"
    return _common(ground, units)


def _smaller_refused(ground: Ground, units: Units) -> str:
    if ground.health == "worn":
        return "the source is worn: making it smaller there would wear it further"
    for load in ground.loads:
        told, planned = told_least(load.row.row.fs), load.short.length * ground.sector
        if told is not None and load.gets_smaller and planned < told:
            least, wanted = format_size(told, units), format_size(planned, units)
            return f"Windows itself makes {load.name} no smaller than {least}, and {wanted} is planned"
    return _common(ground, units)


def _sealed_in_image(ground: Ground, _units: Units) -> str:
    names = _sealed(ground)
    return f"{names} goes into the image encrypted, and cannot be made smaller there" if names else ""


def _sealed(ground: Ground) -> str:
    """Rows that get smaller and are encrypted, open in their own system alone."""
    names = [load.name for load in ground.loads if load.gets_smaller and is_sealed(load.row.row.fs)]
    return " and ".join(names)


def _backup_comes_out(ground: Ground, units: Units) -> str:
    """Not smaller than the backup's last row ends."""
    end, usable = build.last_end(ground), ground.usable
    if end > usable.stop:
        missing = format_size((end - usable.stop) * ground.sector, units)
        return f"a backup comes out at the old sizes, and its last row ends {missing} past what the target holds"
    if any(load.hold.extent.start < usable.start for load in ground.loads):
        return "its first row would stand where the target's table belongs"
    return ""


def _larger_rows(ground: Ground, _units: Units) -> str:
    names = [
        load.row.row.name for load in ground.loads if load.goal.length > load.hold.extent.length and not load.hold.fixed
    ]
    return f"make {' and '.join(names)} larger" if names else ""


def _copier_leaves(ground: Ground, units: Units) -> str:
    larger = _larger_rows(ground, units)
    return "place what the copier does not place: end rows, held rows" + (f"; {larger}" if larger else "")


def _extend(ground: Ground, units: Units) -> str:
    return _larger_rows(ground, units) or "nothing"


def _straight_suits(ground: Ground, _units: Units) -> str:
    smaller = any(step.to and step.source and step.to.length < step.source.length for step in build.straight(ground))
    sealed = _sealed(ground)
    by = f"; {sealed} by a copier that runs in its own system, and arrives not encrypted" if sealed else ""
    return f"copied {'and made smaller ' if smaller else ''}in one go, and the source is only read{by}"


def _image_suits(ground: Ground, _units: Units) -> str:
    if ground.whole_image:
        return f"the source is {ground.health}: read once, whole, and everything else is done in the image"
    return "the source is only read, and nothing on the target can go wrong that the image does not mend"


def _finish_suits(ground: Ground, _units: Units) -> str:
    found = ground.found
    kept = [] if found is None else [row.row for row in found.whole]
    if ground.in_place:
        return "every row stays on its disk, and nothing is copied"
    names = [load.name for load in ground.loads if load.number not in kept]
    again = f"; copied from the source: {', '.join(names)}" if names else ""
    return f"{len(kept)} of {len(ground.loads)} rows stand on the target already{again}"


WAY_KINDS: dict[WayKey, WayKind] = {
    "straight": WayKind(
        "Straight across",
        "A copier that resizes on the way, from disk to disk.",
        build.straight,
        (BOTH,),
        _not_by_copier,
        _straight_suits,
        "A copier may leave out or resize what it does not know: check back.",
        _copier_leaves,
        2,
    ),
    "shrink-first": WayKind(
        "Shrink first",
        "Smaller at the source, copied at equal sizes by any copier, then extended.",
        build.shrink_first,
        (PERMISSION, BACKUP),
        _smaller_refused,
        text("any copier will do, since sizes are equal while it copies"),
        "The source is changed: a shrink that is cut off can lose data.",
        _extend,
        1,
        changes_source=True,
    ),
    "through-image": WayKind(
        "Through an image",
        "Read into an image, made smaller there, written to the target.",
        build.through_image,
        (ROOM,),
        _sealed_in_image,
        _image_suits,
        "Twice the copying; the image must be kept until the target is checked.",
        text("nothing"),
        0,
        workspace_bytes,
    ),
    "restore": WayKind(
        "Restore a backup",
        "A backup written back at the old sizes, then moved and extended in place.",
        build.restore,
        (BACKUP, BACKUP_SIZE),
        _backup_comes_out,
        text("the source is not needed at all"),
        "What changed since the backup is not in it.",
        lambda ground, units: _and(_extend(ground, units), "move end rows"),
        2,
    ),
    "files": WayKind(
        "Files only",
        "A new table and new file systems, and the files copied into them.",
        build.files,
        (),
        _no_system,
        text("no system goes over: copying files is quicker and simpler than a clone, and packs them too"),
        "Names, rights and times may be lost by a careless copy.",
        text("check permissions and long names"),
        1,
    ),
    "finish": WayKind(
        "Finish from here",
        "What the target holds already is brought to its place and length; only what is missing is copied.",
        finish,
        (FOUND, BOTH_AGAIN, BACKUP_IN_PLACE),
        lambda ground, units: _common(ground, units) if copies_again(ground) else "",
        _finish_suits,
        "What a copy that stopped left half-way looks whole from outside: copy again what is not certain.",
        lambda ground, units: _and(_extend(ground, units), "move end rows"),
        2,
    ),
}


def _and(first: str, second: str) -> str:
    return second if first == "nothing" else f"{first}, {second}"


def name_of(ground: Ground, key: WayKey) -> str:
    return "In place" if key == "finish" and ground.in_place else WAY_KINDS[key].name


def ways_of(ground: Ground, units: Units = "binary") -> tuple[Way, ...]:
    """Every way in the table's order, as it stands for this plan on this bench."""
    return tuple(way_of(ground, key, units) for key in keys_of(ground))


def keys_of(ground: Ground) -> tuple[WayKey, ...]:
    """To finish is a way where there is something to finish, and the only one on one disk."""
    if ground.in_place:
        return ("finish",)
    return tuple(key for key in WAY_KINDS if key != "finish" or ground.found is not None)


def way_of(ground: Ground, key: WayKey, units: Units = "binary") -> Way:
    kind = WAY_KINDS[key]
    steps, why = _steps(ground, key)
    why = why or _against(ground, key, units)
    possible = not why
    wanted = [need for need in kind.needs if need.met(ground) is None] if possible else []
    left_open = tuple(need.fact for need in wanted)
    if possible:
        why = kind.suits(ground, units)
        if wanted:
            why += f"; needs {' and '.join(need.words(ground, units) for need in wanted)}, not said yet"
    read, written = (
        (None, None)
        if steps is None
        else (known_sum(s.read_bytes for s in steps), known_sum(s.write_bytes for s in steps))
    )
    seconds = None if steps is None else added(*(step.span for step in steps)).seconds
    return Way(
        key,
        possible,
        sentence_case(why),
        left_open,
        steps,
        seconds,
        read,
        written,
        kind.workspace(ground),
        kind.changes_source or ground.in_place,
    )


def _against(ground: Ground, key: WayKey, units: Units = "binary") -> str:
    """What of the plan or the bench rules a way out; empty where nothing does."""
    kind = WAY_KINDS[key]
    return kind.hinders(ground, units) or next(
        (need.lacking(ground, units) for need in kind.needs if need.met(ground) is False), ""
    )


def _steps(ground: Ground, key: WayKey) -> tuple[tuple[Step, ...] | None, str]:
    """The steps, or why there are none."""
    if not ground.loads and not ground.made:
        why = "nothing goes over" if ground.plan.verdict is None else "the plan does not fit"
        return None, why
    if not ground.same_sectors:
        sizes = f"{ground.sector} and {ground.plan.target.logical_sector_bytes} bytes"
        return None, f"sectors of {sizes}: file systems made for one do not work on the other"
    try:
        return tuple(WAY_KINDS[key].steps(ground)), ""
    except BadOption as error:
        return None, error.sentence()


def proposed(ground: Ground, ways: tuple[Way, ...]) -> WayKey | None:
    """Rule 13.2: of the possible ways no change to the source, least time, least by hand; those whose permission or
    backup nobody spoke of come last. A worn source goes through an image where it can (rule 13.1)."""
    able = [way for way in ways if way.possible]
    return min(able, key=lambda way: (*_rank(ground, way.key), *_effort(way.key, way.seconds))).key if able else None


def propose(ground: Ground) -> tuple[WayKey, tuple[Step, ...]] | None:
    """The same as ``proposed`` with its steps, without working out what cannot be the best."""
    able = [key for key in keys_of(ground) if not _against(ground, key)]
    for rank in sorted({_rank(ground, key) for key in able}):
        keys = [key for key in able if _rank(ground, key) == rank]
        if ground.loads and "straight" in keys and "through-image" in keys:
            keys.remove("through-image")  # it copies all that the other copies, and more
        found = [(key, steps) for key in keys for steps in (_steps(ground, key)[0],) if steps is not None]
        if found:
            return min(found, key=lambda one: _effort(one[0], added(*(step.span for step in one[1])).seconds))
    return None


def _rank(ground: Ground, key: WayKey) -> tuple[bool, bool, bool]:
    image_first = ground.whole_image and key == "through-image"
    doubted = any(need in ASKED_FIRST and need.met(ground) is None for need in WAY_KINDS[key].needs)
    return (not image_first, doubted, WAY_KINDS[key].changes_source)


def _effort(key: WayKey, seconds: tuple[int, int] | None) -> tuple[int, int]:
    return (sum(seconds) if seconds else 0, WAY_KINDS[key].by_hand_count)


def steps_of(ground: Ground, key: WayKey) -> tuple[Step, ...]:
    """The steps of a way, whether the bench allows it or not. Raises BadOption where there are none."""
    steps, why = _steps(ground, key)
    if steps is None:
        raise BadOption(why, at="way", mend="choose another way, or another plan")
    return steps


def sequence_of(ground: Ground, key: WayKey, steps: tuple[Step, ...]) -> Sequence:
    """What the rehearsal runs."""
    shapes, start = ground.shapes, ground.plan.starting
    if not any(step.disk == "image" for step in steps):
        shapes = {name: shape for name, shape in shapes.items() if name != "image"}
    return Sequence(
        key,
        shapes,
        ground.plan.frame.grain_bytes,
        tuple([load.hold for load in ground.loads]),
        steps,
        ground.goals,
        ground.plan.frame.table == "gpt",
        ground.usable,
        StartGoal(start.code is not False, frozenset([moved.row.number for moved in start.named])),
        _found_target(ground) if key == "finish" else FoundTarget(),
    )


def _found_target(ground: Ground) -> FoundTarget:
    found = ground.found
    if found is None:
        return FoundTarget()
    rows = tuple(FoundContent(row.row, row.content, row.whole, row.named) for row in found.rows)
    return FoundTarget(rows, found.as_table, found.backup, found.code)
