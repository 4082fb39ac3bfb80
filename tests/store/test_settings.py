"""The workshop's defaults in the data file, and a file from before there were any."""

from importlib import resources

import pytest

from ylemorph.store import settings
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare


@pytest.fixture
def store(tmp_path):
    connection = connect(prepare(tmp_path))
    yield connection
    connection.close()


def test_set_changed_and_taken_back(store):
    settings.write(store, {"headroom": 20.0, "units": "decimal"})
    settings.write(store, {"headroom": 12.5})
    assert settings.read(store) == {"headroom": 12.5, "units": "decimal"}
    settings.write(store, {"headroom": None, "grain": None})
    assert settings.read(store) == {"units": "decimal"}


def test_all_or_nothing(store):
    with pytest.raises(TypeError):
        settings.write(store, {"headroom": 20.0, "units": {1, 2}})
    assert settings.read(store) == {}


def test_a_file_of_the_first_version_is_taken_along(tmp_path):
    """Without the table of settings, and with a copy of the file kept beside it before it is added."""
    (tmp_path / "ylemorph.sqlite3").touch()
    connection = connect(tmp_path / "ylemorph.sqlite3")
    connection.executescript((resources.files("ylemorph.store") / "migrations" / "0001_jobs.sql").read_text())
    connection.execute("PRAGMA user_version = 1")
    connection.close()
    again = connect(prepare(tmp_path))
    assert settings.read(again) == {}
    again.close()
    assert (tmp_path / "ylemorph.before-0002.sqlite3").is_file()
