"""Connections that wait for their next use: which are kept, and what the next piece of work sees."""

import sqlite3

import pytest

from ylemorph.store import database
from ylemorph.store.database import MOST_IDLE, Gone, Keeper, connect
from ylemorph.store.preparing import prepare


@pytest.fixture
def path(tmp_path):
    return prepare(tmp_path)


@pytest.fixture
def keeper(path):
    made = Keeper(path)
    yield made
    made.close()


def closed(connection):
    try:
        connection.execute("SELECT 1")
    except sqlite3.ProgrammingError:
        return True
    return False


def names(connection):
    return [row["key"] for row in connection.execute("SELECT key FROM setting ORDER BY key")]


def test_one_that_ended_well_is_lent_again(keeper):
    first = keeper.lend()
    keeper.give_back(first, well=True)
    assert keeper.lend() is first
    assert keeper.lend() is not first


def test_two_at_once_never_have_the_same(keeper):
    lent = [keeper.lend() for _ in range(MOST_IDLE + 1)]
    assert len({id(connection) for connection in lent}) == MOST_IDLE + 1
    for connection in lent:
        keeper.give_back(connection, well=True)
    assert [closed(connection) for connection in lent] == [False] * MOST_IDLE + [True]


def test_one_that_broke_off_is_not_lent_again(keeper):
    broken = keeper.lend()
    keeper.give_back(broken, well=False)
    assert closed(broken)
    halfway = keeper.lend()
    halfway.execute("BEGIN IMMEDIATE")
    halfway.execute("INSERT INTO setting (key, value) VALUES ('halfway', '1')")
    keeper.give_back(halfway, well=True)
    assert closed(halfway)
    assert names(keeper.lend()) == []


def test_one_that_broke_off_among_its_rows_does_not_show_them_to_the_next(keeper, path):
    with connect(path) as other:
        other.execute("INSERT INTO setting (key, value) VALUES ('a', '1'), ('b', '1')")
        broken = keeper.lend()
        rows = broken.execute("SELECT key FROM setting ORDER BY key")
        next(rows)
        keeper.give_back(broken, well=False)
        other.execute("INSERT INTO setting (key, value) VALUES ('c', '1')")
        assert names(keeper.lend()) == ["a", "b", "c"]
    other.close()


def test_one_of_another_file_is_not_lent_when_the_first_is_back(keeper, path):
    lent = keeper.lend()
    path.rename(path.with_name("aside"))
    keeper.give_back(lent, well=True)
    path.with_name("aside").rename(path)
    assert closed(lent)
    assert names(keeper.lend()) == []


def test_what_others_wrote_meanwhile_is_seen(keeper, path):
    first = keeper.lend()
    assert names(first) == []
    keeper.give_back(first, well=True)
    other = connect(path)
    other.execute("INSERT INTO setting (key, value) VALUES ('grain', '1')")
    other.close()
    assert names(keeper.lend()) == ["grain"]


def test_none_is_lent_once_the_file_is_another(keeper, path):
    keeper.give_back(keeper.lend(), well=True)
    path.rename(path.with_name("aside"))
    with pytest.raises(Gone):
        keeper.lend()


def test_none_is_kept_after_the_end(keeper):
    waiting, lent = keeper.lend(), keeper.lend()
    keeper.give_back(waiting, well=True)
    keeper.close()
    keeper.give_back(lent, well=True)
    assert closed(waiting)
    assert closed(lent)
    assert not closed(keeper.lend())


def test_requests_that_go_well_share_one(keeper, monkeypatch):
    made = []
    monkeypatch.setattr(database, "connect", lambda path: made.append(path) or connect(path))
    for _ in range(10):
        keeper.give_back(keeper.lend(), well=True)
    assert len(made) == 2  # the one that stays open, and one that is lent
