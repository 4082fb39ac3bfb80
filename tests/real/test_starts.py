"""What a machine does with the finished target: real loaders, the script run by ``sh``, an emulator that starts it.

SeaBIOS and OVMF; a core in front of the first row, in a row of its own, a boot sector's own loader, EFI. Two of the
disks run with every test where the packages are there, all of them in ``make test-deep``.
"""

import os
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import pytest

from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.checkback.planned import planned_of
from ylemorph.core.disk.model import Disk
from ylemorph.core.disk.roles import BIOS_BOOT, EFI_SYSTEM, LINUX_DATA
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.formats.documents.shell_script import script_of
from ylemorph.probe.disks import survey_path

from .starts import NEEDED, WORD, Part, core, core_at, made_disk, own_loader, put, starts
from .volumes import MIB, present, run, sparse

DEEP = os.environ.get("HYPOTHESIS_PROFILE") == "deep"
ROOM = Facts(workspace=2**50, backup="yes", change_source="yes")
HELLO = {"word": WORD.encode()}
WAYS = ("straight", "shrink-first", "through-image", "restore")
PACKED = WAYS[:3]  # a backup comes out at the old sizes, and does not fit
pytestmark = pytest.mark.skipif(not present(*NEEDED), reason=f"{', '.join(NEEDED)} are needed")


class Start(NamedTuple):
    """``made``: the source in a folder; ``target``: MiB; ``warned``: the finding where it will not start by itself."""

    made: Callable[[Path], Path]
    roles: tuple[tuple[int, str], ...]
    target: int
    options: Options = Options()
    efi: bool = False
    warned: str = ""
    ways: tuple[str, ...] = WAYS


def fat_at(start: int, following: int = 0):
    """An active FAT32 whose boot sector's own loader starts, and a row of data behind it."""

    def made(work: Path) -> Path:
        fat = Part(1, start, 48, "c", "fat32", "start", {"note.txt": b"x" * 90_000}, True)
        data = Part(2, start + fat.sectors + following, 120, "83", "ext4", "data", {"a": b"y" * 200_000})
        image = made_disk(work, "dos", (fat, data), 260)
        own_loader(image, fat, work)
        return image

    return made


def gap(*, first: int = 2048, before: float = 0, logical: bool = False):
    """A core between the first sector and the first row; ``before``: MiB of another row in front of the system's."""

    def made(work: Path) -> Path:
        parts, at = [], first
        if before:
            parts.append(Part(1, at, before, "83", "ext4", "data", {"b": b"z" * 300_000}))
            at += parts[0].sectors
        number = 5 if logical else len(parts) + 1
        at += 2048 * logical
        system = Part(number, at, 100, "83", "ext4", "system", HELLO)
        image = made_disk(work, "dos", (*parts, system), 300)
        core_at(image, work, system.uuid, 1)
        return image

    return made


def bios_row(at: int = 2048, *, data_first: bool = False):
    """A GPT whose first sector goes on in a BIOS boot row."""

    def made(work: Path) -> Path:
        data = Part(2, 2048, 90, LINUX_DATA, "ext4", "data", {"c": b"w" * 100_000})
        start = data.start + data.sectors if data_first else at
        own = Part(1, start, 1, BIOS_BOOT, "", "start")
        behind = start + 2048
        if not data_first:
            data = data._replace(start=behind)
            behind += data.sectors
        system = Part(3, behind, 100, LINUX_DATA, "ext4", "system", HELLO)
        image = made_disk(work, "gpt", (data, own, system), 300)
        core_at(image, work, system.uuid, own.start)
        return image

    return made


def efi(path: str = "EFI/BOOT/BOOTX64.EFI", *, hybrid: bool = False):
    def made(work: Path) -> Path:
        system = Part(3, 2048 * 60, 100, LINUX_DATA, "ext4", "system", HELLO)
        own = Part(1, 2048, 1, BIOS_BOOT, "", "start")
        row = Part(2, 4096, 48, EFI_SYSTEM, "fat32", "start", {path: core(work, "x86_64-efi", system.uuid)})
        image = made_disk(work, "gpt", (own, row, system) if hybrid else (row, system), 300)
        if hybrid:
            core_at(image, work, system.uuid, own.start)
        return image

    return made


ONE, EFI_ROLES = ((1, "system"),), ((2, "start"), (3, "system"))
STARTS = {
    "boot sector at 2048": Start(fat_at(2048), ((1, "start"), (2, "data")), 200),
    "boot sector at 63": Start(fat_at(63, 100), ((1, "start"), (2, "data")), 420),
    "core in the gap, smaller": Start(gap(), ONE, 90, ways=PACKED),
    "core in the gap, larger": Start(gap(), ONE, 600, Options(fit="rest-to-one", grow=1)),
    "rows reordered": Start(gap(before=60), ((1, "data"), (2, "system")), 200, Options(order=(2, 1))),
    "the first row moves": Start(gap(first=2048 * 8), ONE, 300),
    "a core, and a logical": Start(gap(before=60, logical=True), ((1, "data"), (5, "system")), 200),
    "a row of its own, kept": Start(bios_row(), ((1, "start"), (2, "data"), (3, "system")), 200),
    "a row of its own, moved": Start(
        bios_row(data_first=True),
        ((1, "start"), (2, "data"), (3, "system")),
        180,
        Options(order=(3, 1, 2)),
        ways=PACKED,
    ),
    "EFI": Start(efi(), EFI_ROLES, 200, efi=True),
    "EFI, at a place of its own": Start(
        efi("EFI/HARROW/LOADER.EFI"), EFI_ROLES, 200, efi=True, warned="start-fallback"
    ),
    "both, in legacy mode": Start(efi(hybrid=True), ((1, "start"), (2, "start"), (3, "system")), 200),
    "both, in UEFI mode": Start(efi(hybrid=True), ((1, "start"), (2, "start"), (3, "system")), 200, efi=True),
}
ALWAYS = {("core in the gap, smaller", "straight"), ("EFI", "straight")}
CASES = [(name, way) for name, start in STARTS.items() for way in start.ways if DEEP or (name, way) in ALWAYS]


def carried_out(start: Start, source: Path, way: str, work: Path):
    """The plan, its way on this bench, and the finished target."""
    options = start.options.but(roles=start.roles)
    plan = make_plan(survey_path(source).disk, Disk(start.target * 2048), options)
    assert plan.verdict in ("comfortable", "tight")
    carrying = carry_out(plan, ROOM, way)
    script = work / "clone.sh"
    script.write_text(script_of(carrying))
    target, room = sparse(work / "target.img", start.target * MIB), work / "room"
    room.mkdir()
    run("sh", script, "--go", source, target, room)
    return plan, carrying, target


@pytest.mark.parametrize(("name", "way"), CASES)
def test_the_finished_target_starts(name, way, tmp_path):
    start = STARTS[name]
    source = start.made(tmp_path)
    by_itself = not start.warned
    assert starts(source, tmp_path, efi=start.efi, meant=by_itself) == by_itself
    plan, carrying, target = carried_out(start, source, way, tmp_path)
    assert carrying.rehearsal.safe
    assert starts(target, tmp_path, efi=start.efi, meant=by_itself) == by_itself
    found = {finding.code for finding in plan.findings}
    assert start.warned in found or by_itself
    assert by_itself or "start-loader" not in found
    differences = check_back(planned_of(plan), survey_path(target).disk).differences
    assert [d for d in differences if d.kind.level != "note"] == []


@pytest.mark.skipif(not DEEP, reason="only with make test-deep")
@pytest.mark.parametrize("name", [name for name, start in STARTS.items() if not start.efi])
def test_without_its_code_it_does_not_start_and_that_is_found(name, tmp_path):
    start = STARTS[name]
    source = start.made(tmp_path)
    plan, _, target = carried_out(start, source, "straight", tmp_path)
    put(target, 0, bytes(440))
    assert not starts(target, tmp_path, meant=False)
    codes = {d.kind.code for d in check_back(planned_of(plan), survey_path(target).disk).differences}
    assert codes == {"start-code"}


@pytest.mark.skipif(not DEEP, reason="only with make test-deep")
def test_a_core_that_has_no_room_in_front_of_the_first_row_is_named_before(tmp_path):
    """Under a grain of 16 KiB the first row stands at sector 32, where the core stood."""
    start = Start(gap(), ONE, 200, Options(grain_bytes=16384))
    source = start.made(tmp_path)
    plan, _, target = carried_out(start, source, "straight", tmp_path)
    assert "start-loader" in {finding.code for finding in plan.findings}
    assert not starts(target, tmp_path, meant=False)
    assert run("e2fsck", "-fn", f"{target}?offset={plan.rows[0].first_lba * 512}")  # and the row itself is whole
