"""Files that hold a disk in another form than byte by byte, known by their first bytes: never taken for raw disks.

The marks are those of the formats' published descriptions (from memory; each was made by its utility and tried).
"""

from typing import NamedTuple


class Container(NamedTuple):
    """``magic`` at ``offset`` means ``name``. ``driver``: by which the system's utility reads it, empty for what is
    packed; ``command``: what makes a raw image of it, with ``{file}`` for its name."""

    offset: int
    magic: bytes
    name: str
    driver: str
    command: str


CONVERT = "qemu-img convert -O raw {file} disk.img"
VHD_MAGIC = b"conectix"
VHD_FOOTER_BYTES = 512
DESCRIPTOR_MAGIC = b"# Disk DescriptorFile"
CONTAINERS = (
    Container(0, b"QFI\xfb", "a QCOW2 image", "qcow2", CONVERT),
    Container(0, b"QED\0", "a QED image", "qed", CONVERT),
    Container(0, b"KDMV", "a VMDK image", "vmdk", CONVERT),
    Container(0, b"COWD", "a VMDK image", "vmdk", CONVERT),
    Container(0, DESCRIPTOR_MAGIC, "the description of a VMDK image", "vmdk", CONVERT),
    Container(0, b"vhdxfile", "a VHDX image", "vhdx", CONVERT),
    Container(0, VHD_MAGIC, "a VHD image", "vpc", CONVERT),
    Container(0x40, b"\x7f\x10\xda\xbe", "a VDI image", "vdi", CONVERT),
    Container(0, b"\x1f\x8b\x08", "packed by gzip", "", "gzip -dc {file} > disk.img"),
    Container(0, b"\xfd7zXZ\0", "packed by xz", "", "xz -dc {file} > disk.img"),
    Container(0, b"\x28\xb5\x2f\xfd", "packed by zstd", "", "zstd -dc {file} > disk.img"),
    Container(0, b"BZh", "packed by bzip2", "", "bzip2 -dc {file} > disk.img"),
    Container(0, b"PK\x03\x04", "a zip archive", "", "unzip -p {file} > disk.img"),
    Container(0, b"7z\xbc\xaf\x27\x1c", "a 7z archive", "", "7z x -so {file} > disk.img"),
    Container(257, b"ustar", "a tar archive", "", "tar -xOf {file} > disk.img"),
)
HEAD_BYTES = 512  # in which every mark stands
# BZh is also three letters: behind it stand a size and the first six bytes of pi or of its root.
_BZIP2_BEHIND = (b"\x31\x41\x59\x26\x53\x59", b"\x17\x72\x45\x38\x50\x90")


def container_of(head: bytes) -> Container | None:
    """What a file is that begins with ``head``; None for what may be a raw disk."""
    for container in CONTAINERS:
        if head.startswith(container.magic, container.offset):
            if container.magic == b"BZh" and not (head[3:4] in b"123456789" and head[4:10] in _BZIP2_BEHIND):
                continue
            return container
    return None
