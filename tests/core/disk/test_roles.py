import pytest

from tests.make import disk, fs, part, row_of
from ylemorph.core.disk.roles import (
    BASIC_DATA,
    EFI_SYSTEM,
    LINUX_DATA,
    LINUX_SWAP,
    MICROSOFT_RESERVED,
    RECOVERY,
    propose_roles,
)
from ylemorph.core.sizes import GiB, MiB

START = (260 * MiB, EFI_SYSTEM, fs("fat32", MiB))
ACTIVE = {"flags": frozenset(("active",))}


def roles(*rows, table="gpt", given=None):
    found = propose_roles(row_of(*rows, table=table), given)
    return [found.by_number[n] for n in sorted(found.by_number)], found.in_doubt


@pytest.mark.parametrize(
    ("row", "role"),
    [
        ((MiB, EFI_SYSTEM, None), "start"),
        ((MiB, "21686148-6449-6E6F-744E-656564454649", None), "start"),
        ((MiB, MICROSOFT_RESERVED, None), "reserved"),
        ((MiB, RECOVERY, fs()), "recovery"),
        ((MiB, LINUX_SWAP, None), "swap"),
        ((MiB, LINUX_DATA, fs("swap")), "swap"),
        ((MiB, BASIC_DATA, fs(label="Recovery")), "recovery"),
        ((MiB, BASIC_DATA, fs("fat32", label="Maker TOOLS")), "tools"),
        ((MiB, BASIC_DATA, fs(label="Restored photos")), "data"),  # whole words only
        ((MiB, BASIC_DATA, fs(label="Windows")), "system"),
        ((MiB, BASIC_DATA, fs("exfat")), "data"),
        ((MiB, BASIC_DATA, None), "unknown"),
        ((MiB, BASIC_DATA, fs("unknown")), "unknown"),
        ((MiB, EFI_SYSTEM, None, {"role": "data"}), "data"),  # the survey's own word goes first
    ],
)
def test_from_type_flags_and_label(row, role):
    assert roles(row)[0] == [role]


def test_the_only_candidate_of_a_disk_that_starts_is_the_system():
    assert roles(START, (GiB, BASIC_DATA, fs())) == (["start", "system"], ())


def test_several_candidates_are_never_guessed():
    assert roles(START, (GiB, BASIC_DATA, fs()), (GiB, BASIC_DATA, fs())) == (["start", "data", "data"], (2, 3))


def test_the_user_settles_it():
    rows = (START, (GiB, BASIC_DATA, fs()), (GiB, BASIC_DATA, fs()))
    assert roles(*rows, given={3: "system"}) == (["start", "data", "system"], ())


def test_a_disk_that_does_not_start_has_no_system():
    assert roles((GiB, BASIC_DATA, fs())) == (["data"], ())


def test_mbr_active_partition():
    small, large = (350 * MiB, "0x07", fs(), ACTIVE), (90 * GiB, "0x07", fs())
    assert roles(small, large, table="mbr") == (["start", "system"], ())
    assert roles((90 * GiB, "0x07", fs(), ACTIVE), table="mbr") == (["system"], ())
    fat = fs("fat32")  # holds no system: the other one must, however small it is
    assert roles(small, (90 * GiB, "0x0C", fat), table="mbr") == (["system", "data"], ())
    assert roles((350 * MiB, "0x0C", fat, ACTIVE), large, table="mbr") == (["start", "system"], ())
    # Large and active with another one beside it: either could be the system.
    assert roles((90 * GiB, "0x07", fs(), ACTIVE), large, table="mbr")[1] == (1, 2)
    assert roles((MiB, "0x27", fs()), (MiB, "0x12", None), (MiB, "0x82", None), table="mbr")[0] == [
        "recovery",
        "tools",
        "swap",
    ]


def test_traces_of_a_system_settle_which_of_several_it_is():
    plain, traced = fs("ntfs", GiB), fs("ntfs", GiB, system_hint="hiberfil.sys")
    source = row_of((260 * MiB, EFI_SYSTEM, fs("fat32")), (GiB, BASIC_DATA, plain), (GiB, BASIC_DATA, traced))
    assert propose_roles(source).by_number[3] == "system"
    assert propose_roles(source).in_doubt == ()
    both = row_of((260 * MiB, EFI_SYSTEM, fs("fat32")), (GiB, BASIC_DATA, traced), (GiB, BASIC_DATA, traced))
    assert propose_roles(both).in_doubt == (2, 3)


@pytest.mark.parametrize(("size", "role"), [(2 * GiB, "start"), (2 * GiB + MiB, "data")])
def test_a_small_active_row_is_the_start_row(size, role):
    """Rule 4.1: small is up to 2 GiB. Common practice, no source."""
    first = part(1, MiB, size, "0x07", fs(used=MiB), flags=frozenset(("active",)))
    second = part(2, MiB + size, 100 * GiB, "0x07", fs(used=GiB))
    third = part(3, MiB + size + 100 * GiB, 100 * GiB, "0x07", fs(used=GiB))
    found = propose_roles(disk(10**9, first, second, third, table="mbr")).by_number[1]
    assert (found == "start") == (role == "start")
