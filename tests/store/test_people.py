"""Names that pass for others, passwords that are guessed, sessions that end."""

import sqlite3
import time
from contextlib import closing

import pytest

from ylemorph.core.errors import BadOption
from ylemorph.store import people
from ylemorph.store.database import connect
from ylemorph.store.names import check_name, key_of
from ylemorph.store.passwords import check_password
from ylemorph.store.preparing import prepare

PASSWORD = "copper kettle on a ledge"


@pytest.fixture
def store(tmp_path):
    with closing(connect(prepare(tmp_path))) as connection:
        people.add(connection, "Mara Quill", "workshop", PASSWORD)
        yield connection


@pytest.mark.parametrize(
    "name", ["Mara Quill", " mara  quill ", "MARA QUILL", "Ｍａｒａ Quill", "mara\u00a0quill", "mara quill\n"]
)
def test_one_form_of_a_name_everywhere(store, name):
    assert key_of(name) == "mara quill"
    assert people.sign_in(store, name, PASSWORD).session.person.name == "Mara Quill"
    assert people.by_name(store, name).name == "Mara Quill"
    with pytest.raises(BadOption):
        people.add(store, name, "bench", PASSWORD)


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("Mara\u200b Quill", "does not see"), ("Mara Quill\u202e", "does not see"), ("Ma\u0000ra", "does not see"),
        ("\ufeffIris", "does not see"), ("Iris\u2066", "does not see"), ("Мara Quill", "several alphabets"),
        ("Mara Quіll", "several alphabets"), ("Mαra", "several alphabets"), ("Mara-Quill", "taken for"),
        ("Mara Quiⅼⅼ", "already"), ("Mära Quill", "taken for"), ("", "1 to 80"), ("   ", "1 to 80"),
        ("x" * 81, "1 to 80"), ("---", "1 to 80"), ("MaraQuill", "taken for"),
    ],
)  # fmt: skip
def test_names_that_pass_for_another_one(store, name, words):
    with pytest.raises(BadOption, match=words):
        people.add(store, name, "bench", PASSWORD)


def test_a_name_of_one_other_alphabet_that_looks_like_one():
    assert check_name("Ольга", ["Mara Quill"]) == "Ольга"
    with pytest.raises(BadOption, match="taken for"):
        check_name("Сора", ["Copa"])
    assert check_name("Åsa Öberg", []) == "Åsa Öberg"


@pytest.mark.parametrize(
    "password",
    [
        "short", "x" * 201, "password123456", "1234567890", "qwertyuiop", "iloveyou2024!", "workshop1234", "aaaaaaaabc",
        "Winter2026!", "Mara Quill 2026", "mara quill!", "letmein12345", "abcabcabcabc", "Passwort2026", "ylemorph2026",
        "1q2w3e4r5t6y",
    ],
)  # fmt: skip
def test_passwords_that_are_guessed(password):
    with pytest.raises(BadOption) as caught:
        check_password(password, "Mara Quill")
    assert caught.value.at == "password"


@pytest.mark.parametrize("password", [PASSWORD, "four plain words here", "Zq8#vT2pLk", "summer of nine herons"])
def test_passwords_that_are_not(password):
    check_password(password, "Mara Quill")


def test_both_or_nothing_of_a_person_is_changed(store):
    iris = people.add(store, "Iris Vance", "look", PASSWORD)
    with pytest.raises(BadOption):
        people.change(store, iris.id, "workshop", "short")
    assert people.get(store, iris.id).role == "look"
    with pytest.raises(people.LastOne):
        people.change(store, people.by_name(store, "Mara Quill").id, "bench", "another few words")
    assert people.sign_in(store, "Mara Quill", PASSWORD) is not None
    changed = people.change(store, iris.id, "bench", "another few words")
    assert changed.role == "bench"
    assert people.sign_in(store, "Iris Vance", "another few words") is not None


def test_signing_in_again_ends_the_session_of_before(store):
    first = people.sign_in(store, "Mara Quill", PASSWORD)
    other = people.sign_in(store, "Mara Quill", PASSWORD)
    again = people.sign_in(store, "Mara Quill", PASSWORD, before=first.secret)
    alive = [people.session_of(store, made.secret) is not None for made in (first, other, again)]
    assert alive == [False, True, True]


def test_an_older_hash_is_made_anew(store, monkeypatch):
    monkeypatch.setattr(people, "METHOD", "scrypt:2048:8:1")
    before = store.execute("SELECT password FROM person").fetchone()[0]
    assert people.sign_in(store, "Mara Quill", PASSWORD) is not None
    after = store.execute("SELECT password FROM person").fetchone()[0]
    assert (before.split("$")[0], after.split("$")[0]) == ("scrypt:1024:8:1", "scrypt:2048:8:1")
    assert people.sign_in(store, "Mara Quill", PASSWORD) is not None
    assert store.execute("SELECT password FROM person").fetchone()[0] == after


@pytest.mark.parametrize(
    ("steps", "alive"),
    [
        ([people.IDLE_SECONDS - 1], True), ([people.IDLE_SECONDS], False), ([people.IDLE_SECONDS + 1], False),
        ([people.IDLE_SECONDS // 2] * 27, True), ([people.IDLE_SECONDS // 2] * 28, False),
        ([3600, -people.SEEN_EVERY], True), ([3600, -people.SEEN_EVERY - 2], False),
        ([people.IDLE_SECONDS // 2] * 13 + [-people.MOST_SECONDS // 2], False),
    ],
)  # fmt: skip
def test_a_session_has_an_end_that_no_clock_moves(store, monkeypatch, steps, alive):
    made = people.sign_in(store, "Mara Quill", PASSWORD)
    at = store.execute("SELECT begun_at FROM session").fetchone()[0]
    found = None
    for step in steps:
        at += step
        monkeypatch.setattr(people.time, "time", lambda at=at: at)
        found = people.session_of(store, made.secret)
    assert (found is not None) is alive


def test_browsers_that_are_known_are_few(store, monkeypatch):
    monkeypatch.setattr(people, "MOST_DEVICES", 3)
    now = time.time()
    made = []
    for n in range(5):
        monkeypatch.setattr(people.time, "time", lambda n=n: now + n)
        made.append(people.sign_in(store, "Mara Quill", PASSWORD).device)
    assert [people.knows_device(store, "mara quill", device) for device in made] == [False] * 2 + [True] * 3
    assert not people.knows_device(store, "Iris Vance", made[-1])
    again = people.sign_in(store, "Mara Quill", PASSWORD, device=made[-1])
    assert again.device == made[-1]
    digests = {row[0] for row in store.execute("SELECT digest FROM device")}
    assert not digests & set(made)  # only what they digest to is kept


def test_reading_goes_on_where_nothing_can_be_written(store, monkeypatch):
    made = people.sign_in(store, "Mara Quill", PASSWORD)
    store.execute("PRAGMA query_only = ON")
    later = time.time() + people.SEEN_EVERY + 10
    monkeypatch.setattr(people.time, "time", lambda: later)
    assert people.session_of(store, made.secret).person.name == "Mara Quill"
    with pytest.raises(sqlite3.OperationalError):
        people.sign_out(store, made.session)


def test_a_session_is_noted_as_in_use_now_and_then(store, monkeypatch):
    """And where a clock was set back by more than that, it ends."""
    at = int(time.time())
    monkeypatch.setattr(time, "time", lambda: at)
    secret = people.sign_in(store, "Mara Quill", PASSWORD).secret

    def seen(later):
        monkeypatch.setattr(time, "time", lambda: at + later)
        found = people.session_of(store, secret)
        return found and store.execute("SELECT seen_at FROM session").fetchone()[0] - at

    assert seen(people.SEEN_EVERY) == 0
    assert seen(people.SEEN_EVERY + 1) == people.SEEN_EVERY + 1
    assert seen(1) == people.SEEN_EVERY + 1
    assert seen(0) is None


def test_the_last_one_of_the_workshop_may_be_given_its_own_role(store):
    mara = people.by_name(store, "Mara Quill")
    assert people.change(store, mara.id, "workshop").role == "workshop"
