"""Every image of the utilities' own test suites, against what these utilities and the system's prober say of it.

Run by ``make test-foreign``, which brings the images; never part of ``make test``. What differs stands in one table,
with its reason; a difference that is not there fails, and so does an entry that no longer differs.
"""

import os
from pathlib import Path
from typing import get_args

import pytest

from ylemorph.core.disk.model import Kind
from ylemorph.core.errors import YlemorphError
from ylemorph.probe.disks import survey_path
from ylemorph.probe.filesystems import read_filesystem
from ylemorph.probe.media.opening import open_medium

from .references import ext, fat, prober

CACHE = os.environ.get("YLEMORPH_FOREIGN", "")
if not CACHE:
    pytest.skip("the images are brought by make test-foreign", allow_module_level=True)
IMAGES = sorted(path for path in (Path(CACHE) / "images").iterdir() if not path.name.startswith("."))

# The prober's words for kinds that have another word in a survey.
KINDS = {
    "vfat": "fat", "crypto_LUKS": "luks", "LVM2_member": "lvm", "hfsplus": "hfs+", "BitLocker": "bitlocker",
    "swsuspend": "swap", "ReFS": "refs",
}  # fmt: skip
READ = {*get_args(Kind), "fat"} - {"unknown"}

COUNTS_DIFFER = (
    "the free blocks that groups or superblock record are not those of the bitmaps: 'check first' here, where the "
    "utility repeats the flag of the last unmount (e2fsck -fn finds the same)"
)
BROKEN_BITMAP = "a bitmap that stands where none can, or fails its checksum: damaged here (e2fsck -fn finds the same)"
BROKEN_FIGURES = "more free inodes than inodes: the superblock's figures cannot be, so nothing is worked out from it"
BROKEN_PLACES = "a bitmap or table of inodes that stands where none can: damaged here (e2fsck -fn finds the same)"
# Images of e2fsprogs by their test's name, the facts that differ, and why.
_EXT = (
    (
        "f_badcluster f_baddotdir f_badsymlinks f_bb_in_bb f_dup f_dup2 f_ea_checks f_ea_inode_self_ref f_extents "
        "f_holedir4 f_nospc_create_lnf f_readonly_fsck f_summary_counts f_uninit_blk_used_not_set "
        "f_uninit_checksum_bad f_uninit_set_inode_not_set f_yesall", "state", COUNTS_DIFFER,
    ),
    ("f_bad_bbitmap f_bad_bmap_csum f_illbbitmap f_miss_blk_bmap f_preen f_zero_group", "state", BROKEN_BITMAP),
    ("f_illibitmap f_illitable f_illitable_flexbg f_misstable", "state", BROKEN_PLACES),
    ("f_uninit_inode_past_unused", "size used last state", BROKEN_FIGURES),
)  # fmt: skip
# (image, fact): why it differs.
REASONS = {
    (f"e2fsprogs--tests-{name}-image.gz", fact): why
    for names, facts, why in _EXT
    for name in names.split()
    for fact in facts.split()
}
COUNTS = {"images": 0, "facts": 0, "named": 0, "unknown": 0, "differ": 0}


def differences(path: Path) -> dict[str, str]:
    """Facts that differ, with both sides."""
    told, found = prober(path), {}
    with open_medium(path) as medium:
        fs = read_filesystem(medium)
    kind = KINDS.get(told.get("TYPE", ""), told.get("TYPE", ""))
    COUNTS["images"] += 1
    if kind or "PTTYPE" in told:
        COUNTS["named" if fs is not None and fs.detail != "something unknown" else "unknown"] += 1
        survey = survey_path(path).disk
        if not (survey.partitions or survey.holds_something):
            found["empty"] = f"the prober says {kind or told['PTTYPE']}"
    if fs is None:
        return found
    facts: list[tuple[str, object, object]] = []
    if kind in READ:
        ours = "fat" if kind == "fat" and (fs.kind.startswith("fat") or fs.detail == "FAT12") else fs.kind
        facts.append(("kind", ours, kind))
        if fs.kind == kind and fs.kind not in ("apfs", "lvm", "bitlocker"):
            facts.append(("label", fs.label, told.get("LABEL", "").replace("\\ ", " ")))
    reference = (
        ext(path) if fs.kind in ("ext2", "ext3", "ext4") else fat(path) if fs.kind in ("fat16", "fat32") else None
    )
    if reference is not None:
        facts += [
            (name, ours, theirs)
            for name, ours, theirs in (
                ("fat", fs.kind, reference.kind), ("size", fs.size_bytes, reference.size),
                ("used", fs.used_bytes, reference.used), ("last", fs.last_used_byte, reference.last),
                ("state", fs.state, reference.state),
            )
            if theirs is not None
        ]  # fmt: skip
    COUNTS["facts"] += len(facts)
    found |= {name: f"{ours!r} here, {theirs!r} there" for name, ours, theirs in facts if ours != theirs}
    return found


@pytest.mark.parametrize("path", IMAGES, ids=lambda path: path.name)
def test_image(path):
    try:
        found = differences(path)
    except YlemorphError as error:
        found = {"error": str(error)}
    expected = {fact for name, fact in REASONS if name == path.name}
    COUNTS["differ"] += len(found)
    assert set(found) == expected, found


def test_the_counts(capsys):
    """The last line: what was compared."""
    with capsys.disabled():
        print("\n" + ", ".join(f"{count} {name}" for name, count in COUNTS.items()))
    assert COUNTS["images"] == len(IMAGES)
