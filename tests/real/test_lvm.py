"""Physical volumes made by LVM's own utilities: what of them is read, and how small ``pvresize`` makes them.

No device mapper is needed: the utilities change their metadata without it; volumes are filled at their extents.
"""

import re
import struct

import pytest

from tests.make import fs, row_of
from ylemorph.core.disk.roles import EFI_SYSTEM
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Headroom, Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB
from ylemorph.probe.filesystems import read_filesystem
from ylemorph.probe.lvm import AREA_HEADER, checksum
from ylemorph.probe.media.opening import open_medium

from .jobs import put
from .test_hands import looped
from .volumes import MIB, Failed, ext, mapped, present, run, sparse

NEEDED = ("pvcreate", "vgcreate", "lvcreate", "lvremove", "pvresize", "vgcfgrestore", "losetup", "mke2fs", "sfdisk")
pytestmark = pytest.mark.skipif(not present(*NEEDED), reason=f"{', '.join(NEEDED)} are needed")
EXTENT = 4 * MIB


class Group:
    """A volume group on images, which are devices while it is changed."""

    def __init__(self, *images):
        self.images = images

    def do(self, *commands):
        """Commands of LVM, PV0 and so on standing for the devices."""
        with looped(*self.images) as devices:
            accepted = ",".join(f'"a|^{device}$|"' for device in devices)
            config = f'devices{{filter=[{accepted},"r|.*|"] use_devicesfile=0}} backup{{backup=0 archive=0}}'
            for command in commands:
                words = [re.sub(r"^PV(\d)", lambda m: devices[int(m[1])], word) for word in command.split()]
                run(words[0], "--driverloaded", "n", "--config", config, *words[1:])

    def make(self, *volumes):
        names = " ".join(f"PV{n}" for n in range(len(self.images)))
        self.do(
            f"pvcreate {names}", f"vgcreate reading {names}", *(f"lvcreate -Zn -Wn -an {words}" for words in volumes)
        )


def read(image):
    with open_medium(image) as medium:
        return read_filesystem(medium)


@pytest.fixture
def group(tmp_path):
    return Group(sparse(tmp_path / "a.img", 300 * MIB), sparse(tmp_path / "b.img", 300 * MIB))


def whole(one, other, to):
    put(one, 0, other, to, one.stat().st_size)


def test_linear_volumes_are_read_through(group, tmp_path):
    """Two with file systems; one of them in two pieces with the other between."""
    group.make(
        "-n root -l 10 reading PV0", "-n home -l 12 reading PV0", "-n root2 -l 3 reading PV0",
    )  # fmt: skip
    group.do("lvremove -f reading/root2", "lvextend -l +6 reading/root PV0")
    (tmp_path / "one").mkdir(), (tmp_path / "two").mkdir()
    root = ext(16 * EXTENT, {"scan.bin": 9 * MIB, "ledger.txt": 12_345}, "-t", "ext4")(tmp_path / "one")
    home = ext(12 * EXTENT, {"card.bin": 5 * MIB}, "-t", "ext3")(tmp_path / "two")
    content, image = root.read_bytes(), group.images[0]
    first, rest = tmp_path / "first", tmp_path / "rest"
    first.write_bytes(content[: 10 * EXTENT])
    rest.write_bytes(content[10 * EXTENT :])
    whole(first, image, MIB)
    whole(home, image, MIB + 10 * EXTENT)
    whole(rest, image, MIB + 22 * EXTENT)
    fs = read(image)
    assert (fs.kind, fs.label, fs.cluster_bytes, fs.state) == ("lvm", "reading", EXTENT, "clean")
    assert (fs.used_bytes, fs.last_used_byte, fs.size_bytes) == (
        MIB + 28 * EXTENT,
        MIB + 28 * EXTENT,
        MIB + 74 * EXTENT,
    )
    assert sum(fs.usage_map.used) == fs.used_bytes
    inside = {one.name: one for one in fs.inside}
    assert set(inside) == {"root", "home"}
    for name, made, kind in (("root", root, "ext4"), ("home", home, "ext3")):
        alone = read(made)
        assert (inside[name].kind, inside[name].layout) == (kind, "linear")
        assert (inside[name].size_bytes, inside[name].used_bytes) == (made.stat().st_size, alone.used_bytes)
    assert read(group.images[1]).used_bytes == MIB
    assert read(group.images[1]).inside == ()


VOLUMES = {
    "linear": ("-n root -l 20 reading PV0",),
    "two": ("-n root -l 20 reading PV0", "-n home -l 7 reading PV0"),
    "striped": ("-n root -l 20 -i 2 reading",),
    "striped and linear": ("-n root -l 20 -i 2 reading", "-n home -l 9 reading PV0"),
    "nothing": (),
}


@pytest.mark.parametrize("volumes", VOLUMES.values(), ids=VOLUMES)
def test_the_floor_is_what_pvresize_goes_to(group, volumes):
    """To exactly the floor of a plan it goes, and one extent below it refuses."""
    group.make(*volumes)
    image = group.images[0]
    floor = floor_of(image)
    assert floor == read(image).used_bytes
    if volumes:
        with pytest.raises(Failed, match=r"cannot resize to|later ones allocated|extents"):
            group.do(f"pvresize -y --setphysicalvolumesize {floor - EXTENT}B PV0")
        group.do(f"pvresize -y --setphysicalvolumesize {floor}B PV0")
        assert read(image).size_bytes == floor == read(image).used_bytes


# A pool and a volume in it, as lvmthin(7) describes them; without a device mapper no utility makes them, but
# vgcfgrestore takes them, and pvresize works with them.
THIN = """logical_volumes {
pool { id = "Aaaaaa-aaaa-aaaa-aaaa-aaaa-aaaa-aaaaa1" status = ["READ", "WRITE", "VISIBLE"] flags = [] segment_count = 1
  segment1 { start_extent = 0 extent_count = 20 type = "thin-pool" metadata = "pool_tmeta" pool = "pool_tdata"
    transaction_id = 1 chunk_size = 128 discards = "passdown" zero_new_blocks = 1 } }
root { id = "Aaaaaa-aaaa-aaaa-aaaa-aaaa-aaaa-aaaaa2" status = ["READ", "WRITE", "VISIBLE"] flags = [] segment_count = 1
  segment1 { start_extent = 0 extent_count = 50 type = "thin" thin_pool = "pool" transaction_id = 0 device_id = 1 } }
"""


def test_the_floor_of_a_thin_pool_is_what_pvresize_goes_to(group, tmp_path):
    group.make("-n data -l 20 reading PV0", "-n meta -l 2 reading PV0", "-n spare -l 2 reading PV0")
    kept = tmp_path / "group"
    group.do(f"vgcfgbackup -f {kept} reading")
    text = kept.read_text().replace("logical_volumes {", THIN)
    for name, hidden in (("data", "pool_tdata"), ("meta", "pool_tmeta"), ("spare", "lvol0_pmspare")):
        text = re.sub(rf'\t{name} {{(.*?), "VISIBLE"\]', rf"\t{hidden} {{\1]", text, count=1, flags=re.DOTALL)
    kept.write_text(text)
    group.do(f"vgcfgrestore --force -f {kept} reading", "vgck reading")
    image = group.images[0]
    fs, floor = read(image), floor_of(image)
    assert [(one.name, one.layout, one.size_bytes) for one in fs.inside] == [
        ("pool", "thin-pool", 20 * EXTENT),
        ("root", "thin", 50 * EXTENT),  # more than the pool holds, and than stands on the disk
    ]
    assert floor == fs.used_bytes == MIB + 24 * EXTENT
    with pytest.raises(Failed, match="as 24 are allocated"):
        group.do(f"pvresize -y --setphysicalvolumesize {floor - EXTENT}B PV0")
    group.do(f"pvresize -y --setphysicalvolumesize {floor}B PV0")
    assert read(image).size_bytes == floor


def floor_of(image):
    """The hard floor of a plan for a disk with this volume behind a start row."""
    part = read(image)
    size = image.stat().st_size
    group = (size, "E6D6D379-F507-44C2-A23C-238F2A3DF928", part, {"role": "system"})
    source = row_of((100 * MIB, EFI_SYSTEM, fs("fat32", MIB)), group, label_gb=120)
    plan = make_plan(source, nominal_disk(120 * GB), Options(headroom=Headroom(0, 0, 0)))
    return plan.row(2).row.floors.hard * MIB


def test_what_lies_behind_a_gap_is_to_be_packed_first(group):
    """Where the front is free the floor counts what is in use; until that is moved, it refuses."""
    group.make("-n root -l 20 reading PV0", "-n home -l 7 reading PV0")
    group.do("lvremove -f reading/root")
    image = group.images[0]
    fs = read(image)
    assert (fs.used_bytes, fs.last_used_byte, fs.immovable_end_byte) == (MIB + 7 * EXTENT, MIB + 27 * EXTENT, None)
    with pytest.raises(Failed):
        group.do(f"pvresize -y --setphysicalvolumesize {MIB + 26 * EXTENT}B PV0")
    # What a move of its extents leaves in the metadata; the mover itself needs a device mapper.
    rewrite(image, lambda text: text.replace('"pv0", 20', '"pv0", 0'))
    assert read(image).last_used_byte == MIB + 7 * EXTENT
    group.do(f"pvresize -y --setphysicalvolumesize {floor_of(image)}B PV0")


# --- metadata as no utility here makes them ---------------------------------------------------------------------------


def rewrite(image, change):
    """Change the newest text, with its checksums."""
    with image.open("r+b") as file:
        file.seek(4096)
        header = bytearray(file.read(AREA_HEADER))
        start, _, offset, length = struct.unpack_from("<QQQQ", header, 24)
        file.seek(start + offset)
        text = change(file.read(length).rstrip(b"\0").decode()).encode() + b"\0"
        file.seek(start + offset)
        file.write(text)
        struct.pack_into("<QI", header, 48, len(text), checksum(text))
        struct.pack_into("<I", header, 0, checksum(bytes(header[4:])))
        file.seek(4096)
        file.write(header)


@pytest.mark.parametrize(
    ("change", "packs", "layout"),
    [
        (lambda text: text.replace('type = "striped"', 'type = "raid1"'), False, "raid1"),
        (lambda text: text.replace('"VISIBLE"]', '"VISIBLE", "LOCKED"]'), False, "linear"),
        (lambda text: text.replace('"VISIBLE"]', '"VISIBLE"] # a remark with { and "'), True, "linear"),
    ],
)
def test_what_cannot_be_moved_ends_where_it_stands(group, change, packs, layout):
    group.make("-n front -l 5 reading PV0", "-n root -l 20 reading PV0")
    group.do("lvremove -f reading/front")
    rewrite(group.images[0], change)
    fs = read(group.images[0])
    assert fs.immovable_end_byte == (None if packs else MIB + 25 * EXTENT)
    assert [one.layout for one in fs.inside] == [layout]
    assert floor_of(group.images[0]) == MIB + (20 if packs else 25) * EXTENT


@pytest.mark.parametrize(
    "change",
    [
        lambda text: text.replace("extent_size = 8192", "extent_size = 0"),
        lambda text: text.replace("extent_count = 20", "extent_count = 2000"),
        lambda text: text.replace('"pv0", 0', '"pv0", 70'),
        lambda text: text.replace("pe_count = 74", "pe_count = 99999999999"),
        lambda text: text.replace("pe_start = 2048", "pe_start = -4"),
        lambda text: text.replace("id =", "ib ="),
        lambda text: "{" * 50,
        lambda text: "}" * 50,
        lambda text: "reading {",
        lambda text: text.replace("logical_volumes {", "logical_volumes = [").replace("physical_volumes", "x"),
        lambda text: "a",
    ],
)
def test_metadata_that_cannot_be_leave_it_held(group, change):
    group.make("-n root -l 20 reading PV0")
    rewrite(group.images[0], change)
    fs = read(group.images[0])
    assert (fs.kind, fs.used_bytes, fs.inside) == ("lvm", None, ())


def test_a_group_within_itself_ends(group):
    """A volume that begins with the label of its own physical volume."""
    group.make("-n root -l 20 reading PV0")
    image = group.images[0]
    front = mapped(image)[:MIB]
    with image.open("r+b") as file:
        file.seek(MIB)
        file.write(front)
    (root,) = read(image).inside
    assert (root.kind, root.used_bytes) == ("lvm", None)


def test_damaged_checksums_and_a_second_copy_leave_it_held(group, tmp_path):
    group.make("-n root -l 20 reading PV0")
    image = group.images[0]
    front = mapped(image)[: 2 * MIB].tobytes()
    for at in (4100, 4096 + 60, front.index(b"extent_size", 5000)):
        damaged = tmp_path / "damaged.img"
        sparse(damaged, 300 * MIB)
        with damaged.open("r+b") as file:
            file.write(front[:at] + b"\xee" + front[at + 1 :])
        assert read(damaged).used_bytes is None
    twice = Group(sparse(tmp_path / "c.img", 100 * MIB))
    twice.do("pvcreate --metadatacopies 2 PV0")
    assert (read(twice.images[0]).used_bytes, read(twice.images[0]).detail) == (None, "LVM with metadata at both ends")
    alone = Group(sparse(tmp_path / "d.img", 100 * MIB))
    alone.do("pvcreate PV0")
    assert (read(alone.images[0]).used_bytes, read(alone.images[0]).inside) == (MIB, ())
