"""The images, unpacked once for all tests."""

import json
from functools import cache
from pathlib import Path

import pytest

from ylemorph.stand_ins.extents import unpack

IMAGES = Path(__file__).parent / "images"
EXPECTED = json.loads((IMAGES / "expected.json").read_text())


@pytest.fixture(scope="session")
def image(tmp_path_factory):
    """An image by name, as a sparse file. It is shared and must not be changed."""
    folder = tmp_path_factory.mktemp("images")

    @cache
    def unpacked(name: str) -> Path:
        with (IMAGES / f"{name}.xz").open("rb") as packed:
            unpack(packed, folder / name)
        return folder / name

    return unpacked


@pytest.fixture
def fresh(tmp_path):
    """An image by name, as a sparse file of the test's own."""

    def unpacked(name: str) -> Path:
        with (IMAGES / f"{name}.xz").open("rb") as packed:
            unpack(packed, tmp_path / name)
        return tmp_path / name

    return unpacked
