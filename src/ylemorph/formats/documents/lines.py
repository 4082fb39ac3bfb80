"""Lines to paste where a step is done by hand: the system's own utilities, the disk picked by its serial.

A number such as ``/dev/sdb`` or ``Disk 2`` is another disk tomorrow. Each block picks its disk anew, by serial, else by
its exact size, and stops where that is not exactly one. Rows are found on it by where they start. What a system has
nothing of its own for is said instead. Words of the utilities' manuals (util-linux, e2fsprogs, ntfs-3g, Windows'
storage cmdlets, diskutil; from memory).
"""

from collections.abc import Iterator
from typing import NamedTuple

from ...core.carry.carrying import Carrying
from ...core.carry.ground import Ground
from ...core.carry.sequence import DiskName, Step
from ...core.carry.step_kinds import words_of
from ...core.disk.filesystems import EXT_KINDS, KIND_NAMES, is_sealed
from ...core.disk.model import Disk, Kind
from ...core.fit.entries import planned_entries
from ...core.fit.plan import PlanRow
from ...system import System
from .sfdisk import plan_to_script

FAT_KINDS: frozenset[Kind] = frozenset(("fat16", "fat32"))
IMAGE = "image.img"  # what an image is called; whoever has another name for it changes it
NO_DISK = "/not/exactly/one/disk"  # what follows in the same block fails with it, and makes no file of that name
SYSTEMS: dict[System, str] = {"linux": "Linux", "windows": "Windows", "macos": "macOS"}
NEW_GUID = "$(cat /proc/sys/kernel/random/uuid)"
NEW_SIGNATURE = "0x$(od -An -N4 -tx4 /dev/urandom | tr -d ' ')"
GIVEN_UP = "What the disk holds is given up with it."
VARIABLES: dict[DiskName, str] = {"source": "S", "image": "I", "target": "D"}


class PasteLines(NamedTuple):
    """For one system: ``text`` to paste, empty where it has nothing of its own for it; ``words``: why, or what to
    mind; ``own``: the lines without those that pick the disk and the row."""

    system: System
    text: str
    words: str = ""
    own: tuple[str, ...] = ()


class ByHand(NamedTuple):
    """One step with what is known of its disks and its row."""

    ground: Ground
    step: Step
    typed: tuple[str, ...]  # what its own words have to type
    begins: bool  # whether nothing of the plan stands on the target yet

    @property
    def row(self) -> PlanRow:
        return next(row for row in self.ground.plan.rows if row.number == self.step.row)

    @property
    def kind(self) -> Kind:
        return self.row.kind

    @property
    def sector(self) -> int:
        return self.ground.sector

    @property
    def start(self) -> int:
        """Where its row stands when the step begins."""
        step, partition = self.step, self.row.row.partition
        extent = step.to if step.kind in ("make", "copy") else step.source or step.to
        if extent is not None:
            return extent.start
        # A check says no place: that of the row on its disk.
        if step.disk == "target" or partition is None:
            return self.row.first_lba or 0
        return partition.first_lba


def lines_of(carrying: Carrying, step: Step) -> tuple[PasteLines, ...]:
    """For each system, in the order in which they are offered."""
    assert carrying.way is not None
    way, steps = carrying.way.key, carrying.way.steps or ()
    before = steps[: steps.index(step)] if step in steps else steps
    begins = way != "finish" and all(one.disk != "target" for one in before)
    by_hand = ByHand(carrying.ground, step, words_of(carrying.ground, way, step, carrying.units).typed, begins)
    return _linux(by_hand), _windows(by_hand), _macos(by_hand)


def _disk(ground: Ground, name: DiskName) -> Disk:
    return ground.plan.source if name == "source" else ground.plan.target


# --- Linux ------------------------------------------------------------------------------------------------------------


def quoted(text: str) -> str:
    """For a POSIX shell."""
    return "'" + text.replace("'", "'\\''") + "'"


def _linux(one: ByHand) -> PasteLines:
    doubt = _doubt(one)
    if doubt:
        return PasteLines("linux", "", doubt)
    lines = tuple(_linux_lines(one))
    if not lines:
        return PasteLines("linux", "", _nothing(one))
    names: tuple[DiskName, ...] = ("source", "target") if one.step.kind == "start-code" else _disks(one.step)
    text = "\n".join([*[_pick(one.ground, name) for name in names], *lines])
    return PasteLines(
        "linux", text, _linux_words(one), tuple([line.replace("\n", " ") for line in lines if line[1:4] != "=$("])
    )


def _doubt(one: ByHand) -> str:
    """Why nothing may be pasted that writes to the target: it could be another disk, or holds what nobody gave up."""
    plan, step = one.ground.plan, one.step
    if one.ground.in_place or step.disk != "target":
        return ""
    source, target = plan.source, plan.target
    if source.size_bytes == target.size_bytes and not (source.serial and target.serial):
        return "Source and target are of one size, and not both have a serial: no line could tell them apart."
    if one.begins and any(finding.code == "target-holds-data" for finding in plan.findings):
        return "The target holds something: confirm it on Target first."
    return ""


def _disks(step: Step) -> tuple[DiskName, ...]:
    names = (step.disk,) if step.from_disk in (None, step.disk) else (step.from_disk, step.disk)
    # Where an image is made or made shorter it is a file, and no disk.
    return tuple([name for name in names if name is not None and (name != "image" or step.row is not None)])


def _pick(ground: Ground, name: DiskName) -> str:
    """A line that sets the disk's variable, or stops."""
    variable = VARIABLES[name]
    if name == "image":
        return f"{variable}=$(losetup --find --show --partscan {IMAGE})"
    disk = _disk(ground, name)
    column, value = ("SERIAL", disk.serial) if disk.serial else ("SIZE", str(disk.size_bytes))
    match = f"""awk -v v={quoted(value)} '{{n = $1; $1 = ""; sub(/^ +/, ""); if ($0 == v) print n}}'"""
    return (
        f"{variable}=$(lsblk --bytes --nodeps --noheadings --paths --output NAME,{column} | {match})\n"
        f'[ -b "${variable}" ] || {variable}={NO_DISK}'
    )


def _part(start: int, variable: str, part: str = "P") -> str:
    """A line that finds a row on its disk by where it starts."""
    return f"""{part}=$(sfdisk --dump "${variable}" | sed -n 's|^\\(/[^ ]*\\) *: start= *{start},.*|\\1|p')"""


def _linux_lines(one: ByHand) -> Iterator[str]:  # noqa: PLR0912  # one for each kind
    step, disk = one.step, f'"${VARIABLES[one.step.disk]}"'
    match step.kind:
        case "read":
            onto = IMAGE if step.disk == "image" else disk
            yield f'dd if="$S" of={onto} bs=1M conv={"sparse" if step.disk == "image" else "fsync"} status=progress'
        case "table":
            if one.begins and not one.ground.plan.target.holds_something:  # what was planned as empty must be so
                yield f'[ -z "$(wipefs --noheadings {disk})" ] || D={NO_DISK}'
            yield f"sfdisk --wipe always {disk} <<'END'\n{plan_to_script(one.ground.plan)}END"
        case "cut":
            assert step.to is not None
            if step.disk == "image":
                yield f"truncate --size={step.to.stop * one.sector} {IMAGE}"
        case "mend-table":
            yield f"sfdisk --relocate gpt-bak-std {disk}"
        case "identity":
            gpt = one.ground.plan.frame.table == "gpt"
            yield f'sfdisk --disk-id {disk} "{NEW_GUID if gpt else NEW_SIGNATURE}"'
        case "start-code":
            yield from (line.replace("SOURCE", '"$S"').replace("TARGET", '"$D"') for line in one.typed)
        case "copy":
            if not _resizes(one.step):
                yield from _dd(one)
        case "check":
            yield from _with_part(one, _check(one))
        case "shrink":
            if _resize(one):
                yield from _with_part(one, [*_resize(one), _length(one)])
        case "grow":
            if _resize(one):
                yield from _with_part(one, [_length(one), *_resize(one)])
        case "move":
            assert step.to is not None
            entry = f"start={step.to.start}, size={step.to.length}"
            yield from _out_of_the_way(one)
            yield from _with_part(one, [f"echo '{entry}' | sfdisk --move-data -N \"${{P##*[!0-9]}}\" {disk}"])
        case "make":
            yield from _with_part(one, _make(one))
        case _:  # a kind for which there is nothing yet: that is said
            return


def _out_of_the_way(one: ByHand) -> Iterator[str]:
    """Entries of rows that are made anew, where they stand on the place that is moved to."""
    assert one.step.to is not None
    for row, _ in one.ground.made:
        partition = row.row.partition
        there = None if partition is None else partition.extent
        if there is not None and there.start < one.step.to.stop and one.step.to.start < there.stop:
            yield _part(there.start, VARIABLES[one.step.disk], "Q")
            yield f'[ -z "$Q" ] || sfdisk --delete "${VARIABLES[one.step.disk]}" "${{Q##*[!0-9]}}"'


def _with_part(one: ByHand, lines: list[str]) -> Iterator[str]:
    if lines:
        yield _part(one.start, VARIABLES[one.step.disk])
        yield " &&\n".join(lines)  # pasted lines go on after an error: no row is cut where its content was not


def _dd(one: ByHand) -> Iterator[str]:
    source, to = one.step.source, one.step.to
    assert source is not None and to is not None and one.step.from_disk is not None  # noqa: PT018  # of a copy
    taken, put = VARIABLES[one.step.from_disk], VARIABLES[one.step.disk]
    yield (
        f'dd if="${taken}" of="${put}" bs=1M iflag=skip_bytes,count_bytes oflag=seek_bytes conv=notrunc,fsync '
        f"skip={source.start * one.sector} seek={to.start * one.sector} count={to.length * one.sector} status=progress"
    )


def _resizes(step: Step) -> bool:
    """Whether the row comes out at another length, which no plain copy does."""
    return step.source is not None and step.to is not None and step.source.length != step.to.length


def _check(one: ByHand) -> list[str]:
    if is_sealed(one.row.row.fs):
        return []
    if one.kind in EXT_KINDS:
        return ['e2fsck -f -n "$P"']
    if one.kind in FAT_KINDS:
        return ['fsck.fat -n "$P"']
    checks: dict[Kind, str] = {
        "ntfs": 'ntfsfix --no-action "$P"', "exfat": 'fsck.exfat -n "$P"', "xfs": 'xfs_repair -n "$P"',
        "btrfs": 'btrfs check --readonly "$P"',
    }  # fmt: skip
    return [checks[one.kind]] if one.kind in checks else []


def _resize(one: ByHand) -> list[str]:
    """The file system's own part of a change of length; empty where there is no utility for it."""
    assert one.step.to is not None
    size, grows = one.step.to.length * one.sector, one.step.kind == "grow"
    if is_sealed(one.row.row.fs):
        return []
    if one.typed:
        return [command.replace("PART", '"$P"') for command in one.typed]
    if one.kind in EXT_KINDS:
        return ['e2fsck -f -p "$P"', f'resize2fs "$P" {size // 512}s']
    if one.kind == "ntfs":
        return [f'ntfsresize --size {size} "$P"']
    if one.kind == "btrfs":
        return ['mount "$P" /mnt', f"btrfs filesystem resize {size // 4096 * 4096} /mnt", "umount /mnt"]
    return ['mount "$P" /mnt', "xfs_growfs /mnt", "umount /mnt"] if one.kind == "xfs" and grows else []


def _length(one: ByHand) -> str:
    """The row's own length in the table, where it stands."""
    assert one.step.to is not None
    entry = f"start={one.start}, size={one.step.to.length}"
    return f'echo \'{entry}\' | sfdisk -N "${{P##*[!0-9]}}" "${VARIABLES[one.step.disk]}"'


def _make(one: ByHand) -> list[str]:
    fs = one.row.row.fs
    if one.row.role == "swap":
        uuid = f" --uuid {fs.uuid}" if fs is not None and fs.uuid else ""
        return [f'mkswap{uuid} "$P"']
    return ['mkfs.fat -F 32 "$P"'] if one.row.role == "start" else ['wipefs --all "$P"']


def _linux_words(one: ByHand) -> str:
    words = {
        "read": "Bad places are not passed over by it: a failing disk is the script's.",
        "table": GIVEN_UP if one.begins else "The table alone is written; what stands at its places stays.",
        "move": "Cut off in its middle the row is lost: have a backup of it. The script goes on where it was.",
        "copy": "All of the row goes over, the free part too.",
    }
    return words.get(one.step.kind, "")


def _nothing(one: ByHand) -> str:
    kind = KIND_NAMES[one.kind] if one.step.row is not None else ""
    if one.step.kind == "copy":
        return "Copied and resized in one go, which takes a copier or the script; by hand it is the way Shrink first."
    if one.step.row is not None and is_sealed(one.row.row.fs):
        return f"The {kind} here is encrypted: open it first, on the system that it belongs to."
    what = {"shrink": "makes {} smaller", "grow": "makes {} larger", "check": "checks {}"}
    return f"None of this system's own utilities {what.get(one.step.kind, 'does this').format(kind)}."


# --- Windows ----------------------------------------------------------------------------------------------------------

RESIZED_BY_WINDOWS: frozenset[Kind] = frozenset(("ntfs", "refs"))
CHECKED_BY_WINDOWS: frozenset[Kind] = frozenset(("ntfs", "refs", "exfat", *FAT_KINDS))


def _quoted(text: str) -> str:
    """For PowerShell."""
    return "'" + text.replace("'", "''") + "'"


def _windows(one: ByHand) -> PasteLines:
    doubt = _doubt(one)
    if doubt:
        return PasteLines("windows", "", doubt)
    lines = list(_windows_lines(one))
    if not lines or one.step.disk == "image":
        kind = KIND_NAMES[one.kind] if one.step.row is not None else ""
        none = {
            "move": "Windows has nothing of its own that moves a partition.",
            "copy": "Windows has nothing of its own that copies a partition to another disk.",
            "read": "Windows has nothing of its own that copies a whole disk.",
            "shrink": f"Windows makes NTFS and ReFS smaller, and no {kind}.",
            "grow": f"Windows makes NTFS and ReFS larger, and no {kind}.",
            "check": f"Windows does not check {kind}.",
        }
        why = "An image is worked on under Linux." if one.step.disk == "image" else none.get(one.step.kind)
        return PasteLines("windows", "", why or "Windows has nothing of its own for this.")
    kept = " Its rows get new identities, which a Windows on them does not start from."
    words = {
        "table": f"{GIVEN_UP}{kept if one.ground.plan.identity == 'keep' else ''}",
        "shrink": "Windows goes no lower than what it calls immovable.",
    }
    text = "\n".join([*_pick_by_windows(one), *lines])
    return PasteLines("windows", text, words.get(one.step.kind, ""), tuple(lines))


def _pick_by_windows(one: ByHand) -> Iterator[str]:
    disk = _disk(one.ground, one.step.disk)
    which = (
        f'"$($_.SerialNumber)".Trim() -eq {_quoted(disk.serial)}' if disk.serial else f"$_.Size -eq {disk.size_bytes}"
    )
    yield f"$disk = @(Get-Disk | Where-Object {{ {which} }})"
    # Lines that are pasted go on after an error: with no disk they do nothing.
    yield "if ($disk.Count -ne 1) { $disk = @(); Write-Error 'There is not exactly one such disk.' }"
    if one.step.kind in ("check", "shrink", "grow"):
        yield f"$part = $disk | Get-Partition | Where-Object Offset -EQ {one.start * one.sector}"


def _windows_lines(one: ByHand) -> Iterator[str]:
    step = one.step
    sealed = step.row is not None and is_sealed(one.row.row.fs)
    match step.kind:
        case "check":
            if one.kind in CHECKED_BY_WINDOWS and not sealed:
                yield "$part | Get-Volume | Repair-Volume -Scan"
        case "shrink" | "grow":
            assert step.to is not None
            if one.kind in RESIZED_BY_WINDOWS and not sealed:
                yield f"$part | Resize-Partition -Size {step.to.length * one.sector}"
        case "table":
            yield from _table_by_windows(one)
        case "make":
            if one.row.role == "reserved":  # with the table
                yield "$disk | Get-Partition | Format-Table -Property @('PartitionNumber', 'Offset', 'Size', 'GptType')"
        case "identity":
            if one.ground.plan.frame.table == "gpt":
                yield '$disk | Set-Disk -Guid "{$(New-Guid)}"'
            else:
                yield "$disk | Set-Disk -Signature (Get-Random -Minimum 1 -Maximum 2147483647)"
            yield "$disk | Get-Disk | Format-List -Property @('Number', 'SerialNumber', 'Guid', 'Signature')"
        case _:  # it has nothing of its own for the others
            return


def _table_by_windows(one: ByHand) -> Iterator[str]:
    """Rows at their places. It makes a table by clearing the disk, so there is nothing where something of the plan
    stands there; and a table with logicals it cannot place."""
    gpt, entries = one.ground.plan.frame.table == "gpt", planned_entries(one.ground.plan)
    if not one.begins or any(entry.row is None for entry in entries):
        return
    if one.ground.plan.target.holds_something:
        yield "if ($disk[0].PartitionStyle -ne 'RAW') { $disk | Clear-Disk -RemoveData -RemoveOEM }"
    else:  # what was planned as empty must be so
        yield "if ($disk.Count -and $disk[0].PartitionStyle -ne 'RAW') { $disk = @(); Write-Error 'It is not empty.' }"
    yield f"$disk | Initialize-Disk -PartitionStyle {'GPT' if gpt else 'MBR'}"
    yield "$disk | Get-Partition | Remove-Partition -Confirm:$false"  # what it puts there by itself
    for entry in entries:
        kind = f"-GptType '{{{entry.type.lower()}}}'" if gpt else f"-MbrType {int(entry.type, 16)}"
        active = " -IsActive" if "active" in entry.flags else ""
        yield (
            f"$disk | New-Partition -Offset {entry.first_lba * one.sector} -Size {entry.sectors * one.sector} "
            f"{kind}{active}"
        )


# --- macOS ------------------------------------------------------------------------------------------------------------

CHECKED_BY_MACOS: frozenset[Kind] = frozenset(("exfat", "hfs+", "apfs", *FAT_KINDS))


def _macos(one: ByHand) -> PasteLines:
    """It knows a partition by its own identity; of what a plan does it checks some file systems, and no more."""
    if one.step.kind == "check" and one.kind in CHECKED_BY_MACOS and one.step.disk == "source":
        partition = one.row.row.partition
        if partition is not None and partition.uuid:
            return PasteLines("macos", f"diskutil verifyVolume {partition.uuid}")
    return PasteLines("macos", "", "macOS has nothing of its own for this.")
