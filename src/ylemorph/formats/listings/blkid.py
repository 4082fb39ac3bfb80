"""What ``blkid -o export`` (util-linux) says of file systems and identities, beside a listing of ``lsblk``.

It knows neither starts nor sizes, so it is no listing by itself: it stands before or behind the other one in one text.
"""

import re
from collections.abc import Iterator, Mapping
from typing import Any

COMMAND = "sudo blkid -o export >> disk.json"
# Its words, and those of lsblk for the same.
KEYS = {
    "TYPE": "fstype", "VERSION": "fsver", "LABEL": "label", "UUID": "uuid", "PARTUUID": "partuuid",
    "PARTLABEL": "partlabel", "PTTYPE": "pttype", "PTUUID": "ptuuid", "PART_ENTRY_TYPE": "parttype",
}  # fmt: skip
_LINE = re.compile(r"^([A-Z][A-Z_]*)=(.*)$", re.MULTILINE)
Blocks = Mapping[str, Mapping[str, str]]  # by the device's path, in lsblk's words


def apart(text: str) -> tuple[str, Blocks]:
    """The text without the utility's lines, and what these say."""
    if re.search(r"^DEVNAME=", text, re.MULTILINE) is None:
        return text, {}
    return _LINE.sub("", text), dict(_blocks(text))


def _blocks(text: str) -> Iterator[tuple[str, Mapping[str, str]]]:
    name: str = ""
    held: dict[str, str] = {}
    for key, value in _LINE.findall(text):
        plain = re.sub(r"\\(.)", r"\1", value.strip())  # it puts a backslash before blanks and other signs
        if key == "DEVNAME":
            if name:
                yield name, held
            name, held = plain, {}
        elif key in KEYS:
            held[KEYS[key]] = plain
    if name:
        yield name, held


def filled(device: Mapping[str, Any], blocks: Blocks) -> Mapping[str, Any]:
    """A device of ``lsblk`` with its children, and what it leaves open from the other utility."""
    path = device.get("path") or f"/dev/{device.get('name')}"
    more: dict[str, Any] = {
        key: value for key, value in blocks.get(str(path), {}).items() if device.get(key) in (None, "")
    }
    children = device.get("children")
    if isinstance(children, list):
        more["children"] = [filled(child, blocks) if isinstance(child, Mapping) else child for child in children]
    return {**device, **more}
