"""Each finding where it belongs, and none where it does not."""

import dataclasses
import re

import pytest

from tests.make import desk, disk, fs, part, row_of
from ylemorph.core.disk.model import NO_CODE, Disk, Health, NamedPlace, StartCode, UsageMap
from ylemorph.core.disk.roles import BASIC_DATA, BIOS_BOOT, EFI_SYSTEM, LINUX_DATA, LINUX_SWAP, RECOVERY
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.finding_kinds import FINDINGS
from ylemorph.core.fit.findings import NOTE_CODES, TABLE_CODES, about_source, contents_of
from ylemorph.core.fit.options import Headroom, Options
from ylemorph.core.fit.packing import bytes_past
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.fit.source_rows import look_at
from ylemorph.core.sizes import GB, GiB, MiB

START = (260 * MiB, EFI_SYSTEM, fs("fat32", 33 * MiB))
SYSTEM = (100 * GiB, BASIC_DATA, fs("ntfs", 40 * GiB, label="Desk"), {"role": "system"})
DATA = (100 * GiB, BASIC_DATA, fs("ntfs", 40 * GiB), {"role": "data"})
TAIL = (980 * MiB, RECOVERY, fs("ntfs", 572 * MiB))
MBR_ALONE = row_of((100 * GiB, "0x07", fs(used=GiB), {"role": "system"}), table="mbr")
T480 = nominal_disk(480 * GB)
# A legacy Windows and a loader in a row of its own, each behind a row that becomes smaller or larger.
BEFORE = (300 * GiB, "0x07", fs(used=40 * GiB), {"role": "data"})
LEGACY = row_of(BEFORE, (100 * GiB, "0x07", fs(used=40 * GiB), {"role": "system"}), table="mbr", label_gb=500)
LOADER = row_of(
    (300 * GiB, LINUX_DATA, fs("ext4", 40 * GiB), {"role": "data"}), (MiB, BIOS_BOOT, None, {"role": "start"}),
    (100 * GiB, LINUX_DATA, fs("ext4", 40 * GiB), {"role": "system"}), label_gb=500,
)  # fmt: skip


@pytest.mark.parametrize(
    ("held", "words"),
    [
        ({}, ""),
        ({"table_notes": ("gpt-lost",)}, "a table that cannot be read"),
        ({"filesystem": fs("ntfs")}, "a NTFS file system"),
        ({"filesystem": fs("unknown", detail="a member of an array")}, "a member of an array"),
        ({"filesystem": fs("unknown")}, "something unknown"),
    ],
)
def test_what_a_disk_without_rows_holds_in_words(held, words):
    assert contents_of(Disk(1_000_000, **held)) == words


def codes(source, target=T480, **options):
    return {f.code: f for f in make_plan(source, target, Options(**options)).findings}


@pytest.mark.parametrize(("state", "words"), [("active", "protection on"), ("paused", "protection paused")])
def test_an_open_row_that_is_encrypted_says_whether_it_is_guarded(state, words):
    held = fs("ntfs", 40 * GiB, label="Desk", encryption=state)
    found = codes(row_of((100 * GiB, BASIC_DATA, held, {"role": "system"})))
    assert words in found["encrypted-open"].text()


TOLD = {"told_least_bytes": 600 * GiB, "told_by": "windows"}


@pytest.mark.parametrize(
    ("more", "pinned", "outside"),
    [
        ({}, False, True),
        ({"pinning": ("pagefile.sys", "the journal")}, True, True),
        ({"encryption": "active"}, False, False),  # from outside nothing of it can be read
    ],
)
def test_a_windows_own_word_with_what_stays_and_what_goes_further(more, pinned, outside):
    source = row_of((900 * GiB, BASIC_DATA, fs(used=GiB, **TOLD, **more), {"role": "data"}))
    told = codes(source)["told-least"]
    assert ("pagefile.sys, the journal stays where it is" in told.text()) is pinned
    assert ("stays where" in told.text()) is pinned
    assert ("a way that makes it smaller from outside goes further" in told.do()) is outside
    (look,) = look_at(source, Options())
    words = "Windows itself makes it no smaller than 600 GiB"
    assert (f"{words}; pagefile.sys, the journal stays" in look.sentence()) is pinned
    assert words in look.sentence()
    just = codes(source, nominal_disk(1000 * GB), pins=((1, 600 * GiB),))
    assert "told-least" not in just


def test_nothing_is_said_of_data_that_all_stand_before_the_new_end():
    held = fs(used=GiB, last_used_byte=2 * GiB)
    found = codes(row_of((900 * GiB, BASIC_DATA, held, {"role": "data"})))
    assert not {"past-new-end", "past-new-end-unknown"} & set(found)


CASES = {
    "sector-size-differs": (row_of(START, SYSTEM), Disk(100_000_000, logical_sector_bytes=4096), {}),
    "source-is-target": (
        desk(model="Brindle K4", serial="BK4-1"),
        dataclasses.replace(T480, model="Brindle K4", serial="BK4-1"),
        {},
    ),
    "nothing-to-carry": (Disk(10**9), T480, {}),
    "target-holds-data": (row_of(START, SYSTEM), disk(10**9, part(1, MiB, GiB)), {}),
    "start-firmware": (row_of(START, SYSTEM), T480, {"firmware": "legacy"}),
    "start-data": (
        row_of(
            (*START[:2], fs("fat32", 33 * MiB, start_data=(NamedPlace("A-1", "B-2"),)), {"uuid": "B-2"}),
            SYSTEM,
            table_id="A-1",
        ),
        T480,
        {"identity": "new"},
    ),
    "start-moved": (LEGACY, nominal_disk(240 * GB), {}),
    "start-loader": (LOADER, nominal_disk(240 * GB), {}),
    "identity-kept": (desk(table_id="A-1"), T480, {}),
    "identity-new": (row_of(START, SYSTEM), T480, {"identity": "new"}),
    "start-fallback": (row_of((*START[:2], fs("fat32", 33 * MiB, fallback_loader=False)), SYSTEM), T480, {}),
    "firmware-asked": (MBR_ALONE, T480, {"table": "gpt"}),
    "fat-limit": (
        row_of((20 * GiB, BASIC_DATA, fs("fat32", MiB, cluster_bytes=32_768), {"role": "data"}), SYSTEM, START),
        nominal_disk(120 * GB),
        {"fit": "snug", "headroom": Headroom(0, 0, 0)},
    ),
    "grows-for-nothing": (row_of(START, SYSTEM, TAIL), nominal_disk(2000 * GB), {"elastic": frozenset((3,))}),
    "target-failing": (
        row_of(START, SYSTEM),
        dataclasses.replace(T480, health=Health("failing", pending_sectors=8)),
        {},
    ),
    "target-worn": (row_of(START, SYSTEM), dataclasses.replace(T480, health=Health("worn", worn_percent=91)), {}),
    "source-failing": (row_of(START, SYSTEM, health=Health("failing", reallocated_sectors=214)), T480, {}),
    "source-worn": (row_of(START, SYSTEM, health=Health("worn")), T480, {}),
    "no-table": (Disk(10**9, filesystem=fs("ntfs", GiB)), T480, {}),
    **{code: (row_of(START, SYSTEM, table_notes=(note,)), T480, {}) for note, code in TABLE_CODES.items()},
    **{
        code: (row_of(START, (100 * GiB, LINUX_DATA, fs("ext4", GiB, notes=(note,)), {"role": "system"})), T480, {})
        for note, code in NOTE_CODES.items()
    },
    "start-left-behind": (row_of(START, SYSTEM), T480, {"leave": frozenset((1,))}),
    "system-left-behind": (row_of(START, SYSTEM, DATA), T480, {"leave": frozenset((2,))}),
    "recovery-left-behind": (desk(), T480, {"leave": frozenset((5,))}),
    "row-left-behind": (row_of(START, SYSTEM, DATA), T480, {"leave": frozenset((3,))}),
    "no-start-row": (row_of(SYSTEM), T480, {}),
    "system-unclear": (row_of(START, DATA[:3], DATA[:3]), T480, {}),
    "used-unknown": (row_of((GiB, BASIC_DATA, fs("ntfs", None), {"role": "data"})), T480, {}),
    "not-resizable-now": (row_of((GiB, BASIC_DATA, fs("ntfs", MiB, state="dirty"), {"role": "data"})), T480, {}),
    "unreachable": (row_of((GiB, "0x07", fs(used=MiB)), table="mbr"), nominal_disk(4000 * GB), {}),
    "free-space-cut-off": (row_of(START, SYSTEM, TAIL), T480, {"fit": "same"}),
    "row-tight": (desk(), nominal_disk(256 * GB), {}),
    "nearly-full": (row_of((100 * GiB, BASIC_DATA, fs(used=95 * GiB), {"role": "data"})), T480, {"fit": "same"}),
    "table-lost": (
        row_of(
            (350 * MiB, "0x07", fs(used=MiB), {"flags": frozenset(("active",))}),
            (100 * GiB, "0x07", fs(used=GiB)),
            table="mbr",
        ),
        T480,
        {"table": "gpt"},
    ),
    "few-sectors-short": (
        row_of(START, SYSTEM, label_gb=500),
        dataclasses.replace(nominal_disk(500 * GB), sectors=nominal_disk(500 * GB).sectors - 16_384),
        {},
    ),
    "identity-equal": (desk(table_id="A-1"), dataclasses.replace(T480, table_id="A-1"), {}),
    "past-new-end": (
        row_of((400 * GiB, BASIC_DATA, fs(used=GiB, usage_map=UsageMap(200 * GiB, (0, GiB))), {"role": "data"})),
        nominal_disk(240 * GB),
        {},
    ),
    "past-new-end-unknown": (desk(), T480, {}),
    "encrypted-open": (row_of((GiB, BASIC_DATA, fs("ntfs", MiB, encryption="paused"))), T480, {}),
    "told-least": (
        row_of((900 * GiB, BASIC_DATA, fs(used=GiB, told_least_bytes=600 * GiB, told_by="windows"), {"role": "data"})),
        T480,
        {},
    ),
    "encrypted": (row_of((GiB, BASIC_DATA, fs("bitlocker"))), T480, {}),
    "volumes-inside": (
        row_of((900 * GiB, LINUX_DATA, fs("lvm", GiB, used_kind="counted", label="Reading"), {"role": "data"})),
        T480,
        {},
    ),
    "held-by-kind": (row_of((GiB, BASIC_DATA, fs("exfat", MiB))), T480, {}),
    "grow-only": (row_of((GiB, BASIC_DATA, fs("xfs", MiB), {"role": "data"})), T480, {}),
    "misaligned": (disk(10**9, part(1, 63 * 512, GiB, "0x07", fs(used=MiB)), table="mbr"), T480, {}),
    "swap-made-new": (row_of((GiB, LINUX_SWAP, fs("swap"))), T480, {}),
    "space-left-over": (desk(), T480, {"fit": "snug"}),
    "data-only": (row_of(DATA), T480, {}),
}


def test_every_kind_has_a_case():
    assert set(CASES) == set(FINDINGS)


@pytest.mark.parametrize("code", CASES)
def test_found_where_it_belongs(code):
    source, target, options = CASES[code]
    finding = codes(source, target, **options)[code]
    assert finding.level == FINDINGS[code].level
    for text in (finding.text(), finding.do(), finding.text("decimal")):
        assert text
        assert "{" not in text
        assert text[0].isupper() or text[0].isdigit() or text[0] == "~"


def test_what_is_said_of_the_source_alone():
    source = row_of((GiB, EFI_SYSTEM, fs("fat32", MiB, state="dirty")), DATA[:3], DATA[:3], table_notes=("hybrid",))
    found = [finding.code for finding in about_source(source, Options())]
    assert found == ["table-hybrid", "system-unclear", "not-resizable-now"]


def test_typing_the_last_four_takes_the_stop_away():
    target = disk(10**9, part(1, MiB, GiB), serial="QS2-4410")
    assert codes(row_of(START, SYSTEM), target)["target-holds-data"].do().count("4410") == 1
    assert "target-holds-data" in codes(row_of(START, SYSTEM), target, overwrite="4411")
    assert "target-holds-data" not in codes(row_of(START, SYSTEM), target, overwrite="4410")


def test_nothing_to_say_about_a_plain_pair():
    assert set(codes(row_of(START, SYSTEM))) == {"identity-kept"}
    assert set(codes(row_of(DATA))) == {"data-only"}


@pytest.mark.parametrize(
    ("source", "options"),
    [
        (row_of(START, SYSTEM), {"fit": "same"}),  # free space is next to the system row
        (row_of(START, SYSTEM, TAIL), {"fit": "same", "free_after": 2}),
        (row_of(START, SYSTEM, DATA), {"fit": "same"}),  # an elastic row between can give way
    ],
)
def test_free_space_that_is_not_cut_off(source, options):
    found = codes(source, **options)
    assert "free-space-cut-off" not in found
    assert "space-left-over" in found


def test_the_gravest_come_first():
    findings = make_plan(desk(), disk(10**9, part(1, MiB, GiB)), Options()).findings
    levels = [f.level for f in findings]
    assert levels == sorted(levels, key=("stop", "mind", "note").index)


@pytest.mark.parametrize(
    ("used", "new_size", "expected"),
    [
        ((10, 20, 30, 40), 400, 0),
        ((10, 20, 30, 40), 300, 40),
        ((10, 20, 30, 40), 200, 70),
        ((10, 20, 30, 40), 250, 55),  # the crossing bucket in proportion
        ((10, 20, 30, 41), 399, 1),  # rounded up: a part of a bucket is never nothing
        ((10, 20, 30, 40), 0, 100),
    ],
)
def test_bytes_past_the_new_end(used, new_size, expected):
    holder = part(1, MiB, 512, filesystem=fs(used=100, usage_map=UsageMap(100, used)))
    assert bytes_past(holder, new_size, 400) == expected


def test_without_a_map_it_is_unknown_unless_nothing_lies_there():
    assert bytes_past(part(1, MiB, GiB, filesystem=fs(used=100)), 400, 1000) is None
    assert bytes_past(part(1, MiB, GiB, filesystem=fs(used=100, last_used_byte=300)), 400, 1000) == 0
    assert bytes_past(part(1, MiB, GiB), 400, 1000) is None


def found_codes(source, target, **options):
    return {finding.code for finding in make_plan(source, target, Options(**options)).findings}


@pytest.mark.parametrize(("past", "said"), [(0, False), (1, True)])
def test_a_single_byte_past_the_new_end_is_said(past, said):
    spread = UsageMap(200 * GiB, (GiB, past))
    source = row_of((400 * GiB, BASIC_DATA, fs(used=2 * GiB, usage_map=spread), {"role": "data"}))
    assert ("past-new-end" in found_codes(source, nominal_disk(240 * GB), pins=((1, 200 * GiB),))) is said


@pytest.mark.parametrize(("more", "said"), [(0, False), (1, True)])
def test_a_row_is_nearly_full_where_less_than_a_tenth_stays_free(more, said):
    source = row_of((20 * GiB, BASIC_DATA, fs(used=9 * GiB + more), {"role": "data"}))
    assert ("nearly-full" in found_codes(source, nominal_disk(240 * GB), pins=((1, 10 * GiB),))) is said


def test_what_the_source_screen_says_of_rows_that_stay():
    source = row_of(
        (GiB, BASIC_DATA, fs("xfs", 100 * MiB), {"role": "data"}),
        (GiB, BASIC_DATA, fs("unknown", 5), {"role": "data"}),
        (GiB, BASIC_DATA, fs("ntfs", 300 * MiB, state="dirty"), {"role": "data"}), label_gb=120,
    )  # fmt: skip
    texts = [look.sentence() for look in look_at(source, Options())]
    assert texts[0] == "XFS cannot be made smaller."
    assert texts[1] == "Nothing is known of what it holds."
    assert texts[2] == "It is dirty and stays as it is."


def test_what_lies_past_the_least_size_is_said_where_it_is_known():
    def said(**more):
        held = fs("ntfs", 100 * MiB, **more)
        return look_at(row_of((GiB, BASIC_DATA, held, {"role": "data"}), label_gb=120), Options())[0].sentence()

    assert said() == "It could go down to 116 MiB. How much lies past that is not known."
    assert said(last_used_byte=100 * MiB) == "It could go down to 116 MiB, and nothing lies past that."
    spread = UsageMap(256 * MiB, (50 * MiB, 0, 0, 50 * MiB))
    assert said(last_used_byte=GiB - 1, usage_map=spread) == (
        "77.3 MiB lie past 116 MiB and must be packed before it can be that small."
    )


@pytest.mark.parametrize("firmware", ["legacy", "uefi", "unknown"])
def test_a_disk_without_a_system_says_nothing_of_how_it_starts(firmware):
    source = row_of((50 * GiB, BASIC_DATA, fs("ntfs", 20 * GiB), {"role": "data"}), label_gb=120)
    found = {f.code for f in make_plan(source, nominal_disk(240 * GB), Options(firmware=firmware)).findings}
    assert found.isdisjoint({"start-firmware", "firmware-asked", "identity-kept", "identity-new"})


@pytest.mark.parametrize(
    ("source", "table", "firmware", "stops"),
    [
        (row_of(START, SYSTEM), "keep", "legacy", True),
        (row_of(START, SYSTEM), "keep", "uefi", False),
        (MBR_ALONE, "keep", "uefi", True),
        (MBR_ALONE, "gpt", "uefi", False),  # a start row is made
        (MBR_ALONE, "gpt", "legacy", True),
        (MBR_ALONE, "keep", "legacy", False),
        (MBR_ALONE.but(start_code=NO_CODE), "keep", "legacy", True),  # read, and there is none
        (LOADER, "keep", "legacy", False),  # a BIOS boot row starts a GPT in legacy mode
        (LOADER, "keep", "uefi", True),
    ],
)
def test_firmware_that_cannot_start_it_stops(source, table, firmware, stops):
    plan = make_plan(source, T480, Options(table=table, firmware=firmware))
    found = [f for f in plan.findings if f.code == "start-firmware"]
    assert [f.level for f in found] == ["stop"] * stops
    wish = {"uefi": "gpt", "legacy": "mbr"}[firmware]
    planned = source.table if table == "keep" else table
    helps = stops and source is MBR_ALONE and wish != planned
    assert any(remedy.kind == "table" for remedy in plan.remedies) == helps


def test_what_lets_it_start_is_a_remedy():
    plan = make_plan(LEGACY, nominal_disk(480 * GB), Options(firmware="legacy"))
    (stay,) = [remedy for remedy in plan.remedies if remedy.kind == "stay"]
    held = make_plan(LEGACY, nominal_disk(480 * GB), Options(hold=frozenset(stay.rows)))
    assert held.row(2).first_lba == LEGACY.partitions[1].first_lba
    assert "start-moved" not in {f.code for f in held.findings}
    renewed = make_plan(row_of(START, SYSTEM), T480, Options(identity="new"))
    assert [remedy.kind for remedy in renewed.remedies] == ["identity"]
    assert make_plan(row_of(START, SYSTEM), T480, Options()).remedies == ()


def test_a_loader_whose_numbers_are_known_is_said_nothing_of():
    own = LOADER.partitions[1].first_lba
    known = LOADER.but(start_code=StartCode(1, "1" * 64, own, "2" * 64))
    assert "start-loader" not in {f.code for f in make_plan(known, nominal_disk(240 * GB), Options()).findings}


def test_the_floors_on_the_source_screen_are_bytes():
    """Row 3 of the desk: 131 GiB and 2 % slack are 133.62 GiB, rounded up to the grain; 15 % headroom on 131 GiB."""
    looks = {look.row.number: look for look in look_at(desk(), Options())}
    assert (looks[3].hard_bytes, looks[3].comfort_bytes) == (136_827 * MiB, 154_266 * MiB)
    assert (looks[1].hard_bytes, looks[1].comfort_bytes, looks[2].hard_bytes) == (49 * MiB, 545 * MiB, None)


@pytest.mark.parametrize(("target", "named"), [(120, False), (1000, False), (6000, True)])
def test_the_limit_of_a_kind_is_named_only_where_it_is_reached(target, named):
    """FAT32 ends at 2 TiB (32-bit count of 512-byte sectors; Microsoft's FAT specification)."""
    source = row_of((200 * GiB, BASIC_DATA, fs("fat32", 40 * GiB), {"role": "data"}), label_gb=250)
    codes = [f.code for f in make_plan(source, nominal_disk(target * GB), Options()).findings]
    assert ("fat-limit" in codes) == named


def test_sizes_in_a_sentence_are_written_with_their_unit():
    found = codes(row_of(START, SYSTEM, TAIL), fit="snug")["space-left-over"]
    assert re.match(r"[0-9.]+ GiB stay unallocated", found.text())
    assert re.match(r"[0-9.]+ GB stay unallocated", found.text("decimal"))


def test_only_a_file_system_of_chunks_speaks_of_them():
    rows = ((GiB, BASIC_DATA, fs(used=MiB)), (9 * GiB, LINUX_DATA, fs("btrfs", GiB, allocated_bytes=3 * GiB)))
    ntfs, btrfs = (look.sentence() for look in look_at(row_of(*rows), Options()))
    assert "chunks" not in ntfs
    assert btrfs.startswith("Files use 1 GiB, and 3 GiB are given to chunks.")


def test_nearly_full_says_what_is_left_free():
    source, target, options = CASES["nearly-full"]
    plan = make_plan(source, target, Options(**options))
    text = next(finding for finding in plan.findings if finding.code == "nearly-full").text()
    assert "will have 5 GiB free, under a tenth of its 100 GiB" in text.replace("5.00", "5")
