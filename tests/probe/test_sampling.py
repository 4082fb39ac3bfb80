"""What is drawn: exactly units that are in use, each as likely as every other."""

import random

import pytest

from ylemorph.probe.media.medium import Unsound
from ylemorph.probe.sampling.draw import LOOK, compare, draw, units_in_use
from ylemorph.probe.sampling.used import PIECE, Used, _as_bits, _is_folder, whole

UNITS = 160_003
NOISE = random.Random(2).randbytes(20_001)


def used(piece, bits=NOISE, units=UNITS, **more):
    return Used(4096, 0, units, lambda: (bits[at : at + piece] for at in range(0, len(bits), piece)), **more)


# Pieces as the readers give them: shorter than what is counted together, as long, longer, not a multiple of it.
@pytest.mark.parametrize("piece", [128, 1024, LOOK, LOOK + 1, 5000, 30_000])
def test_exactly_what_is_in_use_is_drawn(piece):
    wanted = [n for n in range(UNITS) if NOISE[n // 8] >> n % 8 & 1]
    total = units_in_use(used(piece))
    assert total == len(wanted)
    assert draw(used(piece), total, total + 1, random.Random(1)) == wanted
    some = draw(used(piece), total, 300, random.Random(1))
    assert len(set(some)) == 300
    assert some == sorted(some)
    assert set(some) <= set(wanted)


def test_each_is_as_likely_as_every_other():
    total, counts = units_in_use(used(5000)), [0, 0, 0, 0]
    noise = random.Random(3)
    for _ in range(50):
        for unit in draw(used(5000), total, 400, noise):
            counts[unit * 4 // UNITS] += 1
    assert all(4600 < count < 5400 for count in counts)


def test_all_of_a_row_that_nobody_can_look_into():
    assert (units_in_use(whole(10 * PIECE + 5)), draw(whole(10 * PIECE), 10, 99, random.Random(1))) == (
        10,
        [*range(10)],
    )


def test_flags_become_bits():
    assert _as_bits(bytes([0, 7, 0, 0, 1, 255, 0, 1, 0, 3])) == bytes([0b10110010, 0b10])
    assert _as_bits(b"") == b""


def test_a_folder_is_told_by_its_entries():
    def entry(length, name=b"x"):
        return b"\1\0\0\0" + length.to_bytes(2, "little") + bytes((len(name), 1)) + name.ljust(length - 8, b"\0")

    assert _is_folder(entry(12) + entry(16) + entry(1024 - 28))
    assert not _is_folder(entry(12) + entry(16) + entry(1024 - 32) + b"\0\0\0\0")
    assert not _is_folder(b"\1\0\0\0\4\0\1\1" * 128)
    assert not _is_folder(entry(14) + b"\0" * 1010)


class Bytes:
    """A partition of so many units whose reading fails at some places."""

    def __init__(self, data, failing=()):
        self.data, self.size, self.failing = data, len(data), failing

    def read(self, offset, length):
        if offset in self.failing:
            raise Unsound("here")
        return self.data[offset : offset + length]


def test_places_are_told_apart():
    """Eight units: all in use here; there the last two are not. One is the file system's own, one may be."""
    noise = random.Random(1).randbytes(8 * 4096)
    other = bytearray(noise)
    for unit in (2, 3, 5):
        other[unit * 4096 + 9] ^= 1
    here = Used(
        4096, 0, 8, lambda: iter((b"\xff",)), own=((1, 2),), may_be_own=lambda block: block[:1] == noise[12288:12289]
    )
    there = here._replace(bitmap=lambda: iter((b"\x3f",)))
    told = compare(7, Bytes(noise, {4 * 4096}), Bytes(bytes(other)), here, there, 8, 99, random.Random(1))
    # 0 equal; 1 own; 2 differs; 3 differs and may be its own; 4 not read; 5 differs; 6 and 7 moved.
    assert told == (7, 8, 1, 2, 2 * 4096, 2, 2, 1)
    assert (told.compared, told.drawn) == (3, 8)
    missing = compare(7, Bytes(noise), Bytes(noise, {0}), here, there, 8, 99, random.Random(1))
    assert (missing.differing, missing.first) == (1, 0)  # what the target does not give is not there


def test_of_large_units_a_piece_is_looked_at():
    big = Used(PIECE * 4, 512, 2)
    seen = []

    class Watched(Bytes):
        def read(self, offset, length):
            seen.append((offset, length))
            return b""

    for seed in range(20):
        compare(1, Watched(b""), Watched(b""), big, big, 2, 2, random.Random(seed))
    assert {length for _, length in seen} == {PIECE}
    assert {offset for offset, _ in seen} == {512 + n * PIECE for n in range(8)}
    assert Used(512, 0, 9, own=((3, 5),)).own_units == 2
    assert [unit for unit in range(9) if Used(512, 0, 9, own=((3, 5), (7, 99))).is_own(unit)] == [3, 4, 7, 8]
