"""Rule 12: planted differences are found with the right code and nothing else; what is as planned is silent."""

from dataclasses import replace
from typing import get_args

import pytest

from tests.make import SECTOR, disk, fs, part, row_of
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.checkback.differences import DIFFERENCES, Code
from ylemorph.core.checkback.mending import figures_for
from ylemorph.core.checkback.planned import planned_of
from ylemorph.core.disk.check import checked
from ylemorph.core.disk.model import NO_CODE, Disk, FileSystem, NamedPlace, OldMark, StartCode
from ylemorph.core.disk.roles import BASIC_DATA, BIOS_BOOT, EFI_SYSTEM, LINUX_DATA, MICROSOFT_RESERVED, RECOVERY
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB

GRAIN = MiB // SECTOR
ROW_ID = "7E1D6B02-55A4-4C1B-9C7F-00000000000{}"
NEW, OLD = "1F0C6A54-91C6-4B4B-8F0A-3C1D5E2B7A90", "5B0A6C1E-7D3F-4C52-9A44-0D1E52B7C731"


def gpt_source():
    made = row_of(
        (260 * MiB, EFI_SYSTEM, fs("fat32", 33 * MiB, size_bytes=260 * MiB)),
        (16 * MiB, MICROSOFT_RESERVED, None),
        (420 * GiB, BASIC_DATA, fs("ntfs", 131 * GiB, label="Desk", size_bytes=420 * GiB), {"role": "system"}),
        (510 * GiB, BASIC_DATA, fs("ntfs", 96 * GiB, label="Catalogue", size_bytes=510 * GiB), {"role": "data"}),
        (980 * MiB, RECOVERY, fs("ntfs", 572 * MiB, size_bytes=980 * MiB), {"flags": frozenset(("required",))}),
        label_gb=1000,
    )
    return made.but(model="Brindle K4", serial="BK4-00731", table_id=OLD)


def named(source):
    """Boot sectors that name their places, rows with identities, code before the first row."""
    parts = [
        p.but(
            uuid=ROW_ID.format(p.number) if source.table == "gpt" else "",
            filesystem=p.filesystem and p.filesystem.but(
                **({"named_start_lba": p.first_lba} if p.filesystem.kind in ("ntfs", "fat32") else {})
            ),
        )
        for p in source.partitions
    ]  # fmt: skip
    return source.but(partitions=tuple(parts), start_code=StartCode(63, "5" * 64))


def mbr_source():
    made = disk(
        625_142_448,
        part(1, MiB, 350 * MiB, "0x07", fs(used=46 * MiB), role="start", flags=frozenset(("active",))),
        part(2, 351 * MiB, 120 * GiB, "0x07", fs(used=61 * GiB, label="Bindery"), role="system"),
        part(5, 352 * MiB + 120 * GiB, 100 * GiB, "0x07", fs(used=40 * GiB, label="Scans"), role="data", logical=True),
        part(6, 353 * MiB + 220 * GiB, 24 * GiB, "0x83", fs("ext4", 9 * GiB, label="Jobs"), role="data", logical=True),
        table="mbr",
    )
    return made.but(model="Brindle K2", serial="BK2-11840", table_id="0x5d1e40b7")


def pair(source, target=480, **options):
    onto = nominal_disk(target * GB).but(model="Quillon S2", serial="QS2-4410")
    return make_plan(source, onto, Options(**options))


def finished(plan):
    """The target exactly as planned, as a survey of it would say."""
    planned = planned_of(plan)
    parts = []
    for row in planned.rows:
        inner = plan.row(row.number).row
        fs_now = None
        if inner.fs is not None:
            size = min(row.extent.length * SECTOR, row.source_fs_bytes or 2**62) if row.change == "holds" else None
            fs_now = inner.fs.but(
                size_bytes=size or row.extent.length * SECTOR,
                used_bytes=row.held_bytes,
                usage_map=None,
                last_used_byte=None,
                **({"named_start_lba": row.extent.start, "copy_named_start_lba": row.extent.start}
                   if row.names_start else {}),
            )  # fmt: skip
        parts.append(
            part(row.entry, row.extent.start * SECTOR, row.extent.length * SECTOR, row.type, fs_now,
                 flags=row.flags, logical=plan.row(row.number).logical,
                 uuid=row.uuid if planned.identity == "keep" else "")
        )  # fmt: skip
    target = plan.target
    return checked(
        Disk(
            target.sectors,
            model=target.model,
            serial=target.serial,
            table=planned.table,
            table_id=plan.source.table_id if planned.identity == "keep" else NEW,
            partitions=tuple(parts),
            start_code=planned.start or NO_CODE,
        )
    )


def change(found, number, **fields):
    """The found disk with one partition otherwise; ``fs_`` fields are its file system's."""
    own = {key: value for key, value in fields.items() if not key.startswith("fs_")}
    inner = {key[3:]: value for key, value in fields.items() if key.startswith("fs_")}
    parts = [
        replace(p, **own, **({"filesystem": p.filesystem.but(**inner)} if inner else {})) if p.number == number else p
        for p in found.partitions
    ]
    return found.but(partitions=tuple(sorted(parts, key=lambda p: p.first_lba)))


def without(found, number):
    return found.but(partitions=tuple(p for p in found.partitions if p.number != number))


def of(found, number):
    return next(p for p in found.partitions if p.number == number)


def codes(plan, found):
    made = check_back(planned_of(plan), found)
    return [(difference.kind.code, difference.row) for difference in made.differences]


def keys(plan, found):
    return [(difference.key, difference.row) for difference in check_back(planned_of(plan), found).differences]


GPT, LARGER, MBR = pair(gpt_source()), pair(gpt_source(), 2000, fit="rest-to-one", grow=3), pair(mbr_source(), 500)
SAME = pair(gpt_source(), 2000, fit="same")
NAMED, NAMED_MBR = pair(named(gpt_source()), 2000), pair(named(mbr_source()), 500)
NEW_ONE, NEW_MBR = pair(named(gpt_source()), 2000, identity="new"), pair(mbr_source(), 500, identity="new")


def counted(source):
    """Files counted in the system row."""
    row = of(source, 3)
    return change(source, 3, filesystem=row.filesystem.but(files=400_000))


COUNTED = pair(counted(gpt_source()))


def with_loader():
    """A disk whose first sector names a row of its own, and a target on which that row has to move."""
    made = row_of(
        (5 * GiB, LINUX_DATA, fs("ext4", GiB), {"role": "data"}),
        (MiB, BIOS_BOOT, None, {"role": "start"}),
        (50 * GiB, LINUX_DATA, fs("ext4", 20 * GiB), {"role": "system"}), label_gb=120,
    )  # fmt: skip
    own = next(p.first_lba for p in made.partitions if p.number == 2)
    return made.but(start_code=StartCode(1, "1" * 64, own, "2" * 64), table_id=OLD)


LOADER = pair(with_loader(), 250, pins=((1, 8 * GiB),))


@pytest.mark.parametrize("plan", [GPT, LARGER, MBR, SAME, NAMED, NAMED_MBR, NEW_ONE, NEW_MBR, LOADER])
def test_exactly_as_planned_is_silent(plan):
    made = check_back(planned_of(plan), finished(plan))
    assert made.differences == ()
    assert (made.as_planned, made.unknown, made.another) == (True, (), "")


SIZE = 201 * GiB
# plan, what is otherwise, what must be found: each code at least once, in GPT and MBR where it applies
PLANTED = {
    "another size": (GPT, lambda f: f.but(sectors=f.sectors + 2048), [("wrong-size-disk", None)]),
    "another size, MBR": (MBR, lambda f: f.but(sectors=f.sectors - 2048), [("wrong-size-disk", None)]),
    "the source again": (GPT, lambda _f: gpt_source(), [("source-again", None)]),
    "blank": (GPT, lambda f: f.but(table="none", partitions=(), table_id=""), [("table-kind", None)]),
    "MBR for GPT": (GPT, lambda f: f.but(table="mbr"), [("table-kind", None)]),
    "GPT for MBR": (MBR, lambda f: f.but(table="gpt"), [("table-kind", None)]),
    "backup missing": (GPT, lambda f: f.but(table_notes=("backup-missing",)), [("table-backup", None)]),
    "backup not at the end": (GPT, lambda f: f.but(table_notes=("backup-misplaced",)), [("table-backup", None)]),
    "first copy damaged": (GPT, lambda f: f.but(table_notes=("primary-damaged",)), [("table-backup", None)]),
    "last row left out": (GPT, lambda f: without(f, 5), [("row-missing", 5)]),
    "a row left out": (GPT, lambda f: without(f, 4), [("row-missing", 4)]),
    "a logical left out": (MBR, lambda f: without(f, 6), [("row-missing", 6)]),
    "one too many": (
        SAME, lambda f: f.but(partitions=(*f.partitions, part(9, 1500 * GiB, 20 * GiB))), [("row-unexpected", None)]
    ),
    "a grain later": (
        SAME, lambda f: change(f, 5, first_lba=of(f, 5).first_lba + GRAIN), [("start-off", 5)]
    ),
    "off the grain": (SAME, lambda f: change(f, 5, first_lba=of(f, 5).first_lba + 63), [("off-grain", 5)]),
    "off the grain, MBR": (
        MBR, lambda f: change(f, 6, first_lba=of(f, 6).first_lba + 63, sectors=of(f, 6).sectors - 63,
                              fs_size_bytes=of(f, 6).filesystem.size_bytes - 63 * 512), [("off-grain", 6)],
    ),
    "old size": (
        LARGER, lambda f: change(f, 3, sectors=420 * GiB // 512, fs_size_bytes=420 * GiB),
        [("size-off", 3), ("idle-space", None)],
    ),
    "larger than planned": (
        MBR, lambda f: change(without(f, 2), 1, sectors=60 * GiB // 512),
        [("row-missing", 2), ("size-off", 1), ("not-extended", 1)],
    ),
    "not extended": (GPT, lambda f: change(f, 4, fs_size_bytes=200 * GiB), [("not-extended", 4)]),
    "not extended, MBR": (MBR, lambda f: change(f, 6, fs_size_bytes=10 * GiB), [("not-extended", 6)]),
    "cut off": (GPT, lambda f: change(f, 3, fs_size_bytes=420 * GiB), [("cut-off", 3)]),
    "one identity": (NEW_ONE, lambda f: f.but(table_id=OLD.lower()), [("identity-equal", None)]),
    "one identity, MBR": (NEW_MBR, lambda f: f.but(table_id="0x5D1E40B7"), [("identity-equal", None)]),
    "a row's identity": (NEW_ONE, lambda f: change(f, 3, uuid=ROW_ID.format(3).lower()), [("identity-equal", 3)]),
    "identity lost": (GPT, lambda f: f.but(table_id=NEW), [("identity-lost", None)]),
    "identity lost, MBR": (MBR, lambda f: f.but(table_id="0x11223344"), [("identity-lost", None)]),
    "a row's identity lost": (NAMED, lambda f: change(f, 3, uuid=NEW), [("identity-lost", 3)]),
    "code blanked": (NAMED_MBR, lambda f: f.but(start_code=NO_CODE), [("start-code", None)]),
    "code cut short": (NAMED_MBR, lambda f: f.but(start_code=StartCode(1, "6" * 64)), [("start-code", None)]),
    "one byte of the code": (NAMED_MBR, lambda f: f.but(start_code=StartCode(63, "7" * 64)), [("start-code", None)]),
    "the loader named at its old place": (
        LOADER, lambda f: f.but(start_code=replace(f.start_code, loader_lba=None)), [("start-code", None)]
    ),
    "a byte of the loader's code": (
        LOADER, lambda f: f.but(start_code=replace(f.start_code, rest_sha256="3" * 64)), [("start-code", None)]
    ),
    "start data of another row": (
        GPT, lambda f: change(f, 1, fs_start_data=(NamedPlace(OLD, NEW),)), [("start-data", None)]
    ),
    "the old start named": (NAMED_MBR, lambda f: change(f, 1, fs_named_start_lba=63), [("start-named-off", 1)]),
    "another file system": (GPT, lambda f: change(f, 4, fs_kind="ext4"), [("kind-off", 4)]),
    "no file system": (GPT, lambda f: change(f, 4, filesystem=None), [("kind-off", 4)]),
    "another type": (GPT, lambda f: change(f, 5, type=BASIC_DATA), [("type-off", 5)]),
    "another type, MBR": (MBR, lambda f: change(f, 6, type="0x07"), [("type-off", 6)]),
    "mark lost": (GPT, lambda f: change(f, 5, flags=frozenset()), [("flag-off", 5)]),
    "mark lost, MBR": (MBR, lambda f: change(f, 1, flags=frozenset()), [("flag-off", 1)]),
    "half the contents": (GPT, lambda f: change(f, 3, fs_used_bytes=60 * GiB), [("contents-short", 3)]),
    "fewer files": (COUNTED, lambda f: change(f, 3, fs_files=399_999), [("contents-short", 3)]),
    "a mark of an array": (
        GPT, lambda f: f.but(old_marks=(OldMark("Linux array", 2**30, 4),)), [("old-mark", 4)]
    ),
    "a mark behind the last row": (
        GPT, lambda f: f.but(old_marks=(OldMark("Linux array", 2**30),)), [("old-mark", None)]
    ),
    "an old file system in the reserved row": (
        GPT, lambda f: change(f, 2, filesystem=FileSystem("ntfs")), [("old-mark", 2)]
    ),
    "damaged": (GPT, lambda f: change(f, 4, fs_state="damaged"), [("state", 4)]),
}  # fmt: skip


@pytest.mark.parametrize("name", PLANTED)
def test_a_planted_difference_is_found_and_nothing_else(name):
    plan, plant, wanted = PLANTED[name]
    assert codes(plan, plant(finished(plan))) == wanted
    assert not check_back(planned_of(plan), plant(finished(plan))).as_planned


def test_every_code_was_planted():
    planted = {code for _, _, wanted in PLANTED.values() for code, _ in wanted}
    planted.add("contents-differ")  # seen beside the source alone
    assert planted == set(get_args(Code)) == {kind.code for kind in DIFFERENCES.values()}


def test_the_likely_cause_is_named():
    def said(name):
        plan, plant, _ = PLANTED[name]
        return " ".join(
            d.text() + " " + d.do() for d in check_back(planned_of(plan), plant(finished(plan))).differences
        )

    assert "the extension was forgotten" in said("old size")
    assert "Make it larger to 1.32 TiB" in said("old size")
    assert "the copier left it out" in said("last row left out")
    assert "the copier left it out" not in said("a row left out")
    assert "the image was cut off" in said("backup missing")
    assert "Do not start with both attached" in said("one identity")


def test_what_is_no_difference():
    # A row that grew into what was left open is said, and is as planned all the same.
    grown = check_back(planned_of(SAME), change(finished(SAME), 5, sectors=GiB * 2 // 512, fs_size_bytes=2 * GiB))
    assert ([d.kind.level for d in grown.differences], grown.as_planned) == (["note"], True)
    assert "made larger afterwards" in grown.differences[0].text()
    # A check that waits for the next start is usual after a change of size.
    dirty = check_back(planned_of(GPT), change(finished(GPT), 3, fs_state="dirty"))
    assert (codes(GPT, change(finished(GPT), 3, fs_state="dirty")), dirty.as_planned) == ([("state", 3)], True)
    # A file system that came along shorter than its partition is as it was.
    source = gpt_source()
    short = source.but(partitions=tuple(
        p.but(filesystem=p.filesystem.but(size_bytes=900 * MiB)) if p.number == 5 else p for p in source.partitions
    ))  # fmt: skip
    plan = pair(short)
    assert codes(plan, finished(plan)) == []


def test_files_are_counted_where_all_of_them_went_over():
    """More of them than went over is use; where some stayed behind, nobody knows how many should be there."""
    assert codes(COUNTED, change(finished(COUNTED), 3, fs_files=412_000)) == []
    assert codes(COUNTED, change(finished(COUNTED), 3, fs_files=None)) == []
    lighter = pair(counted(gpt_source()), lighten=((3, 9 * GiB),))
    assert codes(lighter, change(finished(lighter), 3, fs_files=5)) == []


def test_another_disk_is_asked_about_and_not_assumed():
    made = check_back(planned_of(GPT), finished(GPT).but(serial="QS2-9999"))
    assert made.differences == ()
    assert made.another == "The disk has the serial QS2-9999, the job's target QS2-4410."


def test_a_copied_identity_on_a_disk_of_the_same_size_is_not_the_source():
    plan = pair(gpt_source(), 1000, identity="new")
    found = finished(plan).but(table_id=OLD)
    assert codes(plan, found) == [("identity-equal", None)]
    assert codes(plan, found.but(serial="")) == [("source-again", None)]
    kept = pair(gpt_source(), 1000)  # where it is meant to be copied, it tells nothing
    assert codes(kept, finished(kept).but(serial="")) == []


def test_what_was_not_read_of_a_start_is_no_difference():
    bare = finished(NAMED_MBR).but(start_code=None)
    assert codes(NAMED_MBR, change(bare, 1, fs_named_start_lba=None, fs_copy_named_start_lba=None)) == []
    assert "code that starts the machine" in check_back(planned_of(NAMED_MBR), bare).unknown[0]
    further = finished(NAMED_MBR).but(start_code=StartCode(900, "9" * 64))  # left there by an older disk
    assert codes(NAMED_MBR, further) == []
    assert "something else stands behind it" in check_back(planned_of(NAMED_MBR), further).unknown[0]
    # A copy that names another place is said, and harms nothing until the boot sector is repaired from it.
    copied = check_back(planned_of(NAMED_MBR), change(finished(NAMED_MBR), 1, fs_copy_named_start_lba=63))
    assert ([d.kind.code for d in copied.differences], copied.as_planned) == (["start-named-off"], True)


def test_a_listing_tells_what_it_can():
    bare = finished(GPT)
    bare = bare.but(partitions=tuple(p.but(filesystem=None) for p in bare.partitions))
    made = check_back(planned_of(GPT), bare)
    assert made.differences == ()
    assert made.unknown == ("What the partitions hold is not known: read the disk itself to compare that too.",)
    unused = change(finished(GPT), 3, fs_used_bytes=None)
    assert check_back(planned_of(GPT), unused).unknown == ("How much Desk (3) holds is not known.",)


def test_a_hundred_and_twenty_eight_partitions():
    rows = [(3 * GiB, BASIC_DATA, fs(used=GiB, size_bytes=3 * GiB), {"role": "data"}) for _ in range(128)]
    plan = make_plan(row_of(*rows, label_gb=500), nominal_disk(960 * GB), Options())
    assert codes(plan, finished(plan)) == []
    assert codes(plan, without(finished(plan), 77)) == [("row-missing", 77)]


def figures(made, found, code):
    """Words and sectors of what one types to mend a difference."""
    planned = planned_of(made)
    (difference,) = [d for d in check_back(planned, found).differences if d.kind.code == code]
    return [(figure.word, figure.sectors) for figure in figures_for(difference, planned)]


def test_the_figures_that_mend_a_difference():
    plan, found = GPT, finished(GPT)
    row = of(found, 3)
    short = change(found, 3, sectors=row.sectors - 4 * GRAIN, fs_size_bytes=(row.sectors - 4 * GRAIN) * SECTOR)
    assert figures(plan, short, "size-off") == [("New size", row.sectors), ("Add", 4 * GRAIN)]
    inner = change(found, 3, fs_size_bytes=(row.sectors - 4 * GRAIN) * SECTOR)
    assert figures(plan, inner, "not-extended") == [("New size", row.sectors), ("Add", 4 * GRAIN)]
    gone = without(found, 4)
    missing = of(found, 4)
    assert figures(plan, gone, "row-missing") == [("Its start", missing.first_lba), ("Its size", missing.sectors)]
    last = of(found, 5)
    moved = change(found, 5, first_lba=last.first_lba - 2 * GRAIN)
    assert figures(plan, change(moved, 4, sectors=missing.sectors - 2 * GRAIN), "start-off") == [
        ("New start", last.first_lba)
    ]
    flagless = change(found, 5, flags=frozenset())
    assert figures(plan, flagless, "flag-off") == []


def test_idle_space_is_named_with_its_size():
    plan, found = LARGER, finished(LARGER)
    row = of(found, 3)
    left = change(found, 3, sectors=row.sectors - 900 * GRAIN, fs_size_bytes=(row.sectors - 900 * GRAIN) * SECTOR)
    idle = [d for d in check_back(planned_of(plan), left).differences if d.kind.code == "idle-space"]
    end = row.first_lba + row.sectors - 900 * GRAIN
    assert [(d.figures, d.found) for d in idle] == [((900 * MiB, end), {"first_lba": end, "sectors": 900 * GRAIN})]


def test_what_was_to_grow_and_did_not_is_told_from_what_is_smaller():
    """Only a row that grows can have kept its old size, and it is near it by less than a grain."""
    old = gpt_source().partitions[2].sectors
    for more, told in ((0, "old-size"), (GRAIN - 1, "old-size"), (GRAIN, "smaller"), (-GRAIN, "smaller")):
        assert (told, 3) in keys(LARGER, change(finished(LARGER), 3, sectors=old + more)), more
    shrunk = of(finished(GPT), 3).sectors
    assert ("smaller", 3) in keys(GPT, change(finished(GPT), 3, sectors=shrunk - GRAIN))
    grains = (64 * 1024, MiB, 4 * MiB)
    coarse = {grain: make_plan(gpt_source(), LARGER.target, LARGER.options.but(grain_bytes=grain)) for grain in grains}
    for grain, plan in coarse.items():  # and of a small grain by less than a MiB
        near = max(grain, MiB) // SECTOR
        for more, told in ((near - 1, "old-size"), (near, "smaller")):
            assert (told, 3) in keys(plan, change(finished(plan), 3, sectors=old + more)), (grain, more)
