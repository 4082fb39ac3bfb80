"""What Windows' own storage cmdlets say of the disks of this machine; properties as Microsoft documents them (from
memory)."""

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

from ..core.disk.listing import Listed
from ..core.errors import YlemorphError
from ..core.fit.findings import contents_of
from ..formats.listings.powershell import read_powershell
from .real_disk import RealDisk, partition_count

SCRIPT = (
    "[Console]::OutputEncoding = [Text.Encoding]::UTF8; "
    "@{Disks=@(Get-Disk); Partitions=@(Get-Partition); Volumes=@(Get-Volume)} | ConvertTo-Json -Depth 3 -Compress"
)
LIST = ("powershell.exe", "-NoProfile", "-NonInteractive", "-Command", SCRIPT)
DRIVE = "\\\\.\\PhysicalDrive{}"


def read_list(text: bytes) -> tuple[RealDisk, ...]:
    """The disks of a listing. Raises YlemorphError where it is none."""
    try:
        data = {str(key).lower(): value for key, value in json.loads(text).items()}
        disks, partitions = data["disks"], data["partitions"]
        numbered = [(one, int(one["Number"])) for one in disks]
    except (ValueError, KeyError, TypeError, AttributeError):
        raise YlemorphError(
            "Windows did not list the disks of this machine", mend="run Get-Disk in PowerShell and see what it says"
        ) from None
    found = []
    for disk, number in numbered:
        own = [one for one in partitions if isinstance(one, dict) and one.get("DiskNumber") == number]
        listed = read_powershell({"Disks": [disk], "Partitions": own, "Volumes": data.get("volumes")})
        holds = ""
        if not any(isinstance(one, Listed) for one in listed):  # what it holds cannot be planned; it is there
            holds = partition_count(len(own))
            listed = read_powershell({"Disks": [{**disk, "PartitionStyle": "RAW"}], "Partitions": [], "Volumes": []})
        found += [
            RealDisk(
                DRIVE.format(number),
                one.survey.disk,
                holds or contents_of(one.survey.disk),
                str(disk.get("Location") or ""),
                tuple(_uses(disk, own)),
            )
            for one in listed
            if isinstance(one, Listed)
        ]
    return tuple(found)


def _uses(disk: Mapping[str, Any], own: Sequence[Mapping[str, Any]]) -> Iterator[str]:
    if disk.get("IsSystem") or disk.get("IsBoot"):
        yield "this machine runs from it"
    for one in own:
        letter = one.get("DriveLetter")
        if isinstance(letter, str) and letter.strip("\0 "):
            yield f"in use as {letter}:"


def ask(run: Callable[[tuple[str, ...]], bytes]) -> tuple[RealDisk, ...]:
    return read_list(run(LIST))
