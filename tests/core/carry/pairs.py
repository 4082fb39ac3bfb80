"""Random pairs of small disks with all that makes an order hard, and sequences damaged on purpose."""

import json

from ylemorph.core.carry.facts import Facts
from ylemorph.core.disk.check import checked
from ylemorph.core.disk.model import NO_CODE, Disk, FileSystem, Partition, StartCode
from ylemorph.core.disk.roles import BASIC_DATA, MICROSOFT_RESERVED
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import FITS, Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import MiB

QUARTER = MiB // 4
SECTOR = 512
PER_QUARTER = QUARTER // SECTOR


def random_plan(rnd):
    """A plan that has a layout, for disks of some hundred MiB whose rows are whole quarters of a MiB."""
    while True:
        source = _source(rnd)
        need = sum(p.sectors for p in source.rows)
        target = Disk((need * rnd.choice((5, 6, 7, 8, 9, 10, 11, 14, 20)) // 8 + 4096 * 6) // 2048 * 2048)
        try:
            plan = make_plan(source, target, _options(rnd, source))
        except YlemorphError:
            continue
        if plan.layout.sizes is not None:
            return plan


def _source(rnd):
    mbr = rnd.random() < 0.4
    at, parts = 4, []
    for place in range(rnd.randint(1, 7)):
        logical = mbr and place >= 3
        at += 4 * logical + rnd.choice((0, 0, 0, 4, 40, 41))
        size = rnd.choice((4, 5, 64, 130, 256, 400, 801))
        role = rnd.choice(("data", "data", "data", "system", "recovery", "unknown", "swap", "reserved"))
        kind = rnd.choice(("ntfs", "ntfs", "ntfs", "ext4", "xfs", "luks", "unknown"))
        kind = "swap" if role == "swap" else kind
        used = rnd.choice((None, 0, size * QUARTER // 5, size * QUARTER // 2, size * QUARTER, 4096))
        fs = (
            None
            if role == "reserved"
            else FileSystem(kind, used_bytes=used, state=rnd.choice(("clean",) * 6 + ("dirty",)))
        )
        if fs is not None and kind == "ntfs" and rnd.random() < 0.7:
            fs = fs.but(named_start_lba=rnd.choice((0, at * PER_QUARTER)))
        number = place + 1 + (mbr and logical)
        type_ = "0x07" if mbr else MICROSOFT_RESERVED if role == "reserved" else BASIC_DATA
        parts.append(Partition(number, at * PER_QUARTER, size * PER_QUARTER, type_, logical, role=role, filesystem=fs))
        at += size
    sectors = (at + rnd.choice((1, 4, 400))) * PER_QUARTER
    code = rnd.choice((None, NO_CODE, StartCode(1, "a" * 64), StartCode(2040, "b" * 64)))
    return checked(Disk(sectors, table="mbr" if mbr else "gpt", partitions=tuple(parts), start_code=code))


def _options(rnd, source):
    numbers = [p.number for p in source.rows]
    order = rnd.sample(numbers, len(numbers)) if rnd.random() < 0.5 else ()
    leave = frozenset(n for n in numbers if rnd.random() < 0.15)
    hold = frozenset(n for n in numbers if rnd.random() < 0.1)
    stays = [n for n in numbers if n not in leave]
    after = rnd.choice(stays) if stays and rnd.random() < 0.3 else None
    table = rnd.choice(("keep", "keep", "keep", "gpt", "mbr"))
    return Options(
        fit=rnd.choice(FITS), order=tuple(order), leave=leave, hold=hold, free_after=after, table=table,
    )  # fmt: skip


def random_facts(rnd):
    return Facts(both_attached=rnd.choice(("unknown", "yes", "no")), health=rnd.choice(("unknown", "good", "worn")))


def damaged(data, rnd):
    """The same steps with one thing wrong: two swapped, one dropped, a length, a place or a disk that is off."""
    made = json.loads(json.dumps(data))
    steps = made["steps"]
    at = rnd.randrange(len(steps))
    what = rnd.choice(("swap", "drop", "length", "place", "disk", "twice"))
    grain = made["grain_bytes"] // SECTOR * rnd.choice((-1, 1))
    if what == "swap":
        other = rnd.randrange(len(steps))
        steps[at], steps[other] = steps[other], steps[at]
    elif what == "drop":
        del steps[at]
    elif what == "twice":
        steps.insert(rnd.randrange(len(steps) + 1), json.loads(json.dumps(steps[at])))
    elif what == "disk":
        name = rnd.choice(("disk", "from_disk"))
        if steps[at][name]:
            steps[at][name] = rnd.choice(sorted(set(made["disks"]) - {steps[at][name]}))
    else:
        extent = steps[at][rnd.choice(("from", "to"))]
        if extent:
            extent["sectors" if what == "length" else "first_lba"] += grain
    return made
