"""What is said of a disk by itself and beside another, as it was read and agreed upon."""

from dataclasses import MISSING, fields, is_dataclass
from pathlib import Path

from tests.make import fs, part
from tests.scenes import SCENES, agreed
from ylemorph.core.disk import model
from ylemorph.core.disk.compare import compared, confirmation, is_few_short, same_disk
from ylemorph.core.disk.filesystems import (
    ABILITIES,
    ability_of,
    ceiling_bytes,
    is_estimate,
    least_bytes,
    shed_bytes,
)
from ylemorph.core.disk.model import STATES
from ylemorph.core.disk.roles import propose_roles, role_notes
from ylemorph.core.disk.starting import starting_in_words, starting_of
from ylemorph.core.sizes import GiB, MiB

HERE = Path(__file__).parent / "agreed"


def of_disks():
    sources = {scene.source for scene in SCENES.values()}
    for source in sorted(sources, key=repr):
        start = starting_of(source)
        rows = [row and row.number for row in (start.bios_row, start.efi_row, start.active)]
        yield f"{starting_in_words(source)} {start.has_code} {start.core_sectors} {rows}"
        yield f"legacy {start.legacy}, UEFI {start.uefi}, fallback {start.fallback}"
        yield f"{propose_roles(source)} {role_notes(source, {})}"
        for other in (source, source.but(serial="X"), source.but(sectors=source.sectors - 1000), source.but(model="")):
            yield f"{compared(source, other)} {confirmation(source, other)} {is_few_short(source, other)}"
            yield f"{same_disk(source, other)}"


def of_file_systems():
    for kind in ABILITIES:
        for size in (40 * MiB, 3 * GiB, 600 * GiB):
            held = fs(kind, size // 3, cluster_bytes=4096, allocated_bytes=size // 2, size_bytes=size)
            row = part(1, MiB, size, filesystem=held)
            able = ability_of(row, reserved=False)
            source = SCENES["desk-smaller"].source
            yield f"{kind} {size}: {least_bytes(held, size)} {least_bytes(held, size, MiB)} {shed_bytes(held)} "
            yield f"  {is_estimate(held)} {able} {ceiling_bytes(source, row, able)}"
    for state in STATES:
        yield f"{state}: {ability_of(part(1, MiB, GiB, filesystem=fs('ntfs', 5, state=state)), reserved=False)}"


def test_disks_are_told_of_as_agreed():
    agreed(HERE / "disks.txt", "\n".join(of_disks()) + "\n")


def test_file_systems_are_told_of_as_agreed():
    agreed(HERE / "file-systems.txt", "\n".join(of_file_systems()) + "\n")


def declared_facts():
    for kind in (one for one in vars(model).values() if isinstance(one, type) and is_dataclass(one)):
        for fact in fields(kind):
            bounds = f" {fact.metadata['least']} to {fact.metadata['most']}" if fact.metadata else ""
            words = [word for word in ("later", "given") if fact.metadata.get(word)]
            default = "must be said" if fact.default is MISSING else repr(fact.default)
            yield " ".join([f"{kind.__name__}.{fact.name}{bounds}: {default}", *words])


def test_the_facts_of_a_survey_have_the_bounds_that_were_agreed():
    """What a survey may hold is a promise to whoever writes one: a bound that moves is seen."""
    agreed(HERE / "facts.txt", "\n".join(declared_facts()) + "\n")
