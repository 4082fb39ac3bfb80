"""What differs between systems: devices that give whole sectors alone, and what they say of themselves."""

import errno
import os
import struct

import pytest

from tests.lacking import here_alone
from ylemorph.probe.disks import survey_medium, survey_path
from ylemorph.probe.media import medium
from ylemorph.probe.media.medium import RawDevice
from ylemorph.stand_ins.attached import Bench
from ylemorph.system import DeviceFigures, open_below, opened, read_at, windows_figures


@pytest.fixture(scope="module")
def image(tmp_path_factory):
    bench = Bench(tmp_path_factory.mktemp("bench"))
    bench.attach("desk")
    return bench.folder / "desk.img"


@pytest.mark.parametrize("sector", [512, 4096])
def test_a_device_that_refuses_parts_of_sectors_is_read_like_any_other(image, monkeypatch, sector):
    asked = []

    def whole_sectors(descriptor, offset, length):
        asked.append((offset, length))
        if offset % sector or length % sector:
            raise OSError(errno.EINVAL, "Invalid argument")
        return read_at(descriptor, offset, length)

    monkeypatch.setattr(medium, "read_at", whole_sectors)
    with open(image, "rb") as file:
        device = RawDevice(os.dup(file.fileno()), image.stat().st_size, sector, None, "device")
        if sector == 512:
            with device:
                found = survey_medium(device).disk
            monkeypatch.undo()
            plain = survey_path(image).disk
            assert found.but(read_rates=()) == plain
        else:
            with device:
                assert device.read(4095, 3) == image_bytes(image, 4095, 3)
                assert device.read(device.size - 1, 1) == image_bytes(image, device.size - 1, 1)
    assert asked


def image_bytes(image, start, length):
    with image.open("rb") as file:
        file.seek(start)
        return file.read(length)


def test_what_windows_says_of_a_disk():
    """GET_LENGTH_INFORMATION, STORAGE_ACCESS_ALIGNMENT_DESCRIPTOR, DISK_GEOMETRY (Microsoft's documentation, from
    memory); an adapter may not know the second."""
    length, geometry = struct.pack("<q", 480 * 10**9), struct.pack("<qIIII", 58_000, 12, 255, 63, 512)
    alignment = struct.pack("<7I", 28, 28, 0, 0, 512, 4096, 0)
    assert windows_figures(length, alignment, geometry) == DeviceFigures(480 * 10**9, 512, 4096, aligned=True)
    assert windows_figures(length, b"", geometry) == DeviceFigures(480 * 10**9, 512, 512, aligned=True)


@pytest.mark.parametrize(
    ("path", "kind"),
    [("\\\\.\\PhysicalDrive0", "device"), ("\\\\?\\physicaldrive12", "device"), ("/dev/rdisk4", "device"),
     ("\\\\.\\PhysicalDrive", "file"), ("\\\\.\\C:", "file"), ("desk.img", "file")],
)  # fmt: skip
def test_raw_disks_are_known_by_their_names(image, path, kind):
    with image.open("rb") as file:
        assert opened(file.fileno(), path).kind == kind


@here_alone
def test_without_open_folders_nothing_is_opened_through_a_link(tmp_path, monkeypatch):
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "desk.img").write_bytes(b"x")
    (tmp_path / "out.img").write_bytes(b"y")
    (tmp_path / "in" / "link.img").symlink_to(tmp_path / "out.img")
    for supported in (os.supports_dir_fd, set()):
        monkeypatch.setattr(os, "supports_dir_fd", supported)
        found = open_below(tmp_path / "in", (tmp_path / "desk.img").relative_to(tmp_path))
        assert (found.kind, found.size) == ("file", 1)
        os.close(found.descriptor)
        with pytest.raises(OSError, match="link"):
            open_below(tmp_path / "in", (tmp_path / "link.img").relative_to(tmp_path))
