"""The entries of the target's table: what the source has is kept, what is made new gets its type by its role."""

from tests.make import disk as made
from tests.make import fs, part, row_of
from ylemorph.core.disk.roles import BASIC_DATA, EFI_SYSTEM, LINUX_DATA, MICROSOFT_RESERVED
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.entries import planned_entries
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB

OWN = "4F68BCE3-E8CD-4DB1-96E7-FBCAF984B709"  # Linux root, x86-64


def types(source, **options):
    plan = make_plan(source, nominal_disk(240 * GB), Options(**options))
    return {entry.row: entry.type for entry in planned_entries(plan)}


def test_types_of_the_source_are_kept():
    source = row_of((GiB, BASIC_DATA, fs("ext4", MiB), {"role": "data"}), (9 * GiB, OWN, fs("ext4", GiB)))
    assert types(source) == {1: BASIC_DATA, 2: OWN}
    old = row_of((GiB, "0x83", fs(used=MiB), {"role": "data"}), (9 * GiB, "0x0C", fs("fat32", GiB)), table="mbr")
    assert types(old) == {1: "0x83", 2: "0x0C"}


def test_a_table_of_another_kind_has_types_of_its_own():
    source = row_of(
        (100 * MiB, "0x07", fs(used=MiB), {"role": "start", "flags": frozenset(["active"])}),
        (50 * GiB, "0x07", fs(used=20 * GiB), {"role": "system"}), (9 * GiB, "0x83", fs("ext4", GiB)), table="mbr",
    )  # fmt: skip
    found = types(source, table="gpt")
    assert (found[2], found[3]) == (BASIC_DATA, LINUX_DATA)
    assert {EFI_SYSTEM, MICROSOFT_RESERVED} <= set(found.values())
    back = made(10**8, part(1, MiB, GiB, LINUX_DATA, fs("ext4", MiB)), part(2, 2 * GiB, GiB, BASIC_DATA, fs(used=MiB)))
    assert types(back, table="mbr") == {1: "0x83", 2: "0x07"}


def test_the_extended_one_has_its_own_number_or_the_last_that_is_free():
    """A listing may tell logical partitions without what they lie in."""
    first = part(1, MiB, GiB, "0x07", fs(used=MiB), role="data")
    logicals = [part(n, 2 * n * GiB, GiB, "0x07", fs(used=MiB), role="data", logical=True) for n in (5, 6)]

    def extended(*parts):
        plan = make_plan(made(10**9, *parts, table="mbr"), nominal_disk(480 * GB), Options())
        return [(entry.number, entry.type) for entry in planned_entries(plan) if entry.row is None]

    assert extended(first, *logicals) == [(4, "0x0F")]
    last = part(4, 3 * GiB, GiB, "0x07", fs(used=MiB), role="data")
    assert extended(first, last, *logicals) == [(3, "0x0F")]
    assert extended(first, part(2, 9 * GiB, 6 * GiB, "0x05"), *logicals) == [(2, "0x0F")]
