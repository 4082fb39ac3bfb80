"""The helpers that make and compare the volumes of the tests."""

from tests.real.volumes import STEP, written


def test_what_lies_behind_a_stretch_is_not_read(tmp_path):
    sparse = tmp_path / "sparse.img"
    with sparse.open("w+b") as file:
        file.seek(5 * STEP)
        file.write(b"behind")
        file.flush()
        assert list(written(file, 0, 2 * STEP)) == []
        assert list(written(file, 0, 5 * STEP)) == []
        assert list(written(file, 0, 6 * STEP)) == [(5 * STEP, b"behind")]
