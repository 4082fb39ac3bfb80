"""What a device gives is measured where something is used, and never of a file."""

import os

import pytest

from tests.lacking import here_alone
from tests.make import disk, fs, part
from ylemorph.core.disk.model import Disk, UsageMap
from ylemorph.core.sizes import GiB, MiB
from ylemorph.probe.media import rates
from ylemorph.probe.media.medium import CannotRead, Medium


class Device:
    """A medium that notes where it was read, on a clock that goes on with each read."""

    sector, descriptor = 512, 3

    def __init__(self, seconds=0.01, broken=False):
        self.read_at, self.now, self.seconds, self.broken = [], 0.0, seconds, broken

    def read(self, offset, length):
        if self.broken:
            raise CannotRead("the disk does not give its bytes")
        self.read_at.append((offset, length))
        self.now += self.seconds
        return bytes(length)


@pytest.fixture
def forgotten(monkeypatch):
    places = []
    monkeypatch.setattr(os, "posix_fadvise", lambda _descriptor, start, length, _what: places.append((start, length)))
    return places


def used(*buckets):
    usage = UsageMap(64 * MiB, tuple(64 * MiB if full else 0 for full in buckets))
    return disk(2**23, part(1, MiB, 2 * GiB, filesystem=fs(used=sum(usage.used), usage_map=usage)))


def measured(medium, source, monkeypatch):
    monkeypatch.setattr(rates.time, "perf_counter", lambda: medium.now)
    return rates.measured(medium, source)


@here_alone
def test_three_places_of_what_is_used(monkeypatch, forgotten):
    device = Device()
    source = used(*[0] * 4, *[1] * 12, *[0] * 16)
    # 32 reads of a MiB in 10 ms each; a quarter, a half, three quarters of twelve stretches from the fifth on
    assert measured(device, source, monkeypatch) == pytest.approx((104_857_600,) * 3, abs=1)
    starts = [MiB + (4 + n) * 64 * MiB for n in (3, 6, 9)]
    assert [start for start, _ in device.read_at[::32]] == starts
    assert forgotten == [(start, 32 * MiB) for start in starts]
    assert sum(length for _, length in device.read_at) == 96 * MiB


@here_alone
def test_what_cannot_tell_is_not_measured(monkeypatch, forgotten):
    assert measured(Device(), used(*[1] * 5), monkeypatch) == ()  # less than what a disk keeps in its own memory
    assert measured(Device(), Disk(2**23), monkeypatch) == ()
    assert measured(Device(broken=True), used(*[1] * 12), monkeypatch) == ()
    assert rates.measured(Medium(3, 2**32, None, None, "a file"), used(*[1] * 12)) == ()
    assert len(forgotten) == 1
