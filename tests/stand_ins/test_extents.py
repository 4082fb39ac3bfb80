"""Packed images: what was packed is what stands there again, and holes stay holes."""

import io
import lzma

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ylemorph.stand_ins.extents import MAGIC, BadImage, pack, unpack

pieces = st.lists(st.tuples(st.integers(0, 200), st.binary(min_size=1, max_size=9000)), max_size=6)


@settings(max_examples=max(20, settings().max_examples // 3))  # each packs a MiB
@given(pieces)
def test_packed_and_unpacked_is_the_same(tmp_path_factory, pieces):
    folder = tmp_path_factory.mktemp("extents")
    image = folder / "image"
    with image.open("wb") as file:
        file.truncate(1 << 20)
        for block, data in pieces:
            file.seek(block * 4096)
            file.write(data)
    pack([(0, image)], 1 << 20, folder / "packed")
    with (folder / "packed").open("rb") as packed:
        assert unpack(packed, folder / "again") == 1 << 20
    assert (folder / "again").read_bytes() == image.read_bytes()


def test_pieces_stand_at_their_offsets_and_holes_take_no_room(tmp_path):
    (tmp_path / "front").write_bytes(b"front" + bytes(8187))
    (tmp_path / "back").write_bytes(b"back")
    pack([(0, tmp_path / "front"), (1 << 30, tmp_path / "back")], 2 << 30, tmp_path / "packed")
    assert (tmp_path / "packed").stat().st_size < 1000
    with (tmp_path / "packed").open("rb") as packed:
        unpack(packed, tmp_path / "disk")
    with (tmp_path / "disk").open("rb") as disk:
        assert disk.read(5) == b"front"
        disk.seek(1 << 30)
        assert disk.read(4) == b"back"
    status = (tmp_path / "disk").stat()
    assert status.st_size == 2 << 30
    assert status.st_blocks * 512 < 1 << 20


@pytest.mark.parametrize(
    "data",
    [b"", b"nothing", lzma.compress(b"other magic"), lzma.compress(MAGIC), lzma.compress(MAGIC)[:-9]],
    ids=["empty", "no xz", "other", "no size", "cut off"],
)
def test_what_is_no_packed_image_is_said(tmp_path, data):
    with pytest.raises(BadImage) as caught:
        unpack(io.BytesIO(data), tmp_path / "disk")
    assert caught.value.mend
