"""Listings with one value or one stretch of text changed: read, or refused in one sentence, and nothing else."""

import copy
import json
import os

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.formats.listings.test_reading import (
    BLKID,
    ENGLISH,
    GERMAN,
    GPT_SCRIPT,
    NVME,
    OLD,
    PARTED,
    POWERSHELL,
    TABBED,
    WINDOWS,
)  # fmt: skip
from tests.formats.listings.test_told import FROM_LINUX, FROM_WINDOWS
from tests.make import read_survey
from ylemorph.core.errors import YlemorphError
from ylemorph.formats.listings.reading import read_any
from ylemorph.formats.own.survey_data import write_survey

SFDISK = {
    "partitiontable": {
        "label": "gpt", "id": "7D1C2E90-4B7A-4E16-9C1B-0A4D6E2F8C31", "device": "/dev/sda", "unit": "sectors",
        "firstlba": 34, "lastlba": 16_777_182, "sectorsize": 512,
        "partitions": [
            {"node": "/dev/sda1", "start": 2048, "size": 532_480, "type": "C12A7328-F81F-11D2-BA4B-00A0C93EC93B"},
            {"node": "/dev/sda2", "start": 534_528, "size": 8_388_608, "type": "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7",
             "name": "Desk", "attrs": "RequiredPartition GUID:62,63"},
        ],
    }
}  # fmt: skip
TREES = ({"blockdevices": [NVME, OLD]}, POWERSHELL, SFDISK, PARTED, FROM_WINDOWS, FROM_LINUX)
TEXTS = (ENGLISH, GERMAN, TABBED, GPT_SCRIPT, WINDOWS, json.dumps(SFDISK), json.dumps({"blockdevices": [OLD]}) + BLKID)
NASTY = (
    None, True, False, 0, -1, 1, 2**63, 2**64, 10**30, 0.5, 1e300, "", " ", "0", "-1", "x", "0x", "²", "١", "\0",
    "9" * 400,
    [], [[]], [None], {}, {"a": 1}, ["x"], [{}], "GPT", "dos", "part", "disk", "/", {"size": 5},
)  # fmt: skip
EXAMPLES = max(400, settings().max_examples) if os.environ.get("HYPOTHESIS_PROFILE") != "deep" else 20_000


def paths(tree, here=()):
    """Every place in a tree of JSON."""
    yield here
    items = tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ()
    for key, value in items:
        yield from paths(value, (*here, key))


def changed(tree, path, value, drop):
    """A copy with the value at ``path`` put in, or taken out."""
    made = copy.deepcopy(tree)
    if not path:
        return value
    at = made
    for key in path[:-1]:
        at = at[key]
    if drop:
        del at[path[-1]]
    else:
        at[path[-1]] = value
    return made


def read_or_refused(data):
    """What comes of it; a survey that is read can be written and read again, so that nothing half-true is kept."""
    refused, found = None, ()
    try:
        found = read_any(data).found
    except YlemorphError as error:
        refused = error
    assert refused is None or (refused.mend and "\n" not in refused.sentence()), refused
    for item in found:
        again = read_survey(write_survey(item.survey))
        assert again == item.survey


@settings(max_examples=EXAMPLES)
@given(st.sampled_from(TREES), st.data())
def test_a_changed_value(tree, data):
    places = list(paths(tree))
    for _ in range(data.draw(st.integers(1, 2))):
        path = data.draw(st.sampled_from(places))
        try:
            tree = changed(tree, path, data.draw(st.sampled_from(NASTY)), data.draw(st.booleans()))
        except (KeyError, IndexError, TypeError):
            continue  # the first change has taken this place away
    read_or_refused(json.dumps(tree))


@settings(max_examples=EXAMPLES)
@given(st.sampled_from(TEXTS), st.data())
def test_a_changed_stretch_of_text(text, data):
    start = data.draw(st.integers(0, len(text)))
    stop = data.draw(st.integers(start, min(len(text), start + 12)))
    put = data.draw(st.text(st.sampled_from("0123456789,.;:=\"'{}[]\t\n -GiBMx²\0\u00a0\ufeff"), max_size=6))
    read_or_refused(text[:start] + put + text[stop:])


@given(st.binary(max_size=600))
def test_any_bytes(data):
    read_or_refused(data)


@given(st.sampled_from(TEXTS), st.sampled_from(("utf-8", "utf-16", "utf-16-le", "utf-16-be")), st.integers(0, 400))
def test_a_file_that_breaks_off(text, encoding, length):
    read_or_refused(text.encode(encoding)[:length])
