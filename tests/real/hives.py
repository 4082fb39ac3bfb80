"""Registry hives with start data, made by Debian's hive utilities from an empty one.

The empty one has a root key and a security record, laid out as the utilities' own documentation has it.
"""

import struct
import uuid
from pathlib import Path

from .volumes import run

PAGE, NONE = 4096, 0xFFFFFFFF


def empty_hive(path: Path) -> Path:
    """A header of a page, and a page with the root key, its security record and room that is free."""
    root = struct.pack(
        "<2sHQIIIIIIIIIIIIIIIHH", b"nk", 0x2C, 1, 0, NONE, 0, 0, NONE, NONE, 0, NONE, 0x20 + 0x58, NONE, 0, 0, 0, 0, 0,
        4, 0,
    ) + b"root"  # fmt: skip
    security = struct.pack("<2sHIIII", b"sk", 0, 0x20 + 0x58, 0x20 + 0x58, 1, 20)
    security += struct.pack("<BBHIIII", 1, 0, 0x8000, 0, 0, 0, 0)
    cells = b""
    for data in (root, security):
        length = (4 + len(data) + 7) // 8 * 8
        cells += struct.pack("<i", -length) + data.ljust(length - 4, b"\0")
    assert len(struct.pack("<i", 0) + root) <= 0x58
    free = PAGE - 32 - len(cells)
    page = struct.pack("<4sII", b"hbin", 0, PAGE).ljust(32, b"\0") + cells + struct.pack("<i", free)
    head = struct.pack("<4sIIQIIIIIII", b"regf", 1, 1, 1, 1, 3, 0, 1, 0x20, PAGE, 1).ljust(508, b"\0")
    total = 0
    for (word,) in struct.iter_unpack("<I", head):
        total ^= word
    path.write_bytes((head + struct.pack("<I", total)).ljust(PAGE, b"\0") + page.ljust(PAGE, b"\0"))
    return path


def start_hive(path: Path, objects: list[dict[str, bytes]]) -> bytes:
    """A hive whose objects have these elements, by their type in hex."""
    lines = ["cd \\", "add Objects"]
    for elements in objects:
        name = "{" + str(uuid.uuid4()) + "}"
        lines += ["cd \\Objects", f"add {name}", f"cd {name}", "add Elements", "cd Elements"]
        for kind, data in elements.items():
            lines += [f"add {kind}", f"cd {kind}", "setval 1", "Element", "hex:3:" + data.hex(","), "cd .."]
    run("hivexsh", "-w", empty_hive(path), send="\n".join([*lines, "commit", "quit"]) + "\n")
    return path.read_bytes()


def gpt_device(disk: str, partition: str, length: int = 88) -> bytes:
    data = bytearray(length)
    struct.pack_into("<II", data, 16, 6, 0)
    data[32:48] = uuid.UUID(partition).bytes_le
    data[56:72] = uuid.UUID(disk).bytes_le
    return bytes(data)


def mbr_device(signature: int, start_byte: int, length: int = 88) -> bytes:
    data = bytearray(length)
    struct.pack_into("<II", data, 16, 6, 0)
    struct.pack_into("<Q", data, 32, start_byte)
    struct.pack_into("<II", data, 52, 1, signature)
    return bytes(data)
