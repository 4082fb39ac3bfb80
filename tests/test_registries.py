"""Each thing is declared once: these walk the tables and name the one that lacks an entry."""

import subprocess
import sys
from dataclasses import fields
from typing import get_args

import grimp
import pytest

from ylemorph.core.carry import sequence, times, ways
from ylemorph.core.carry.step_kinds import record_of
from ylemorph.core.checkback import differences
from ylemorph.core.disk import filesystems, model
from ylemorph.core.fit import finding_kinds, findings, fits, options
from ylemorph.core.job import aftermath
from ylemorph.core.job.changes import CHANGES
from ylemorph.formats.listings.reading import LISTINGS
from ylemorph.formats.own import changes, option_models
from ylemorph.formats.own.options import _READERS, _SIZED, _WRITERS, options_from, options_to_data
from ylemorph.formats.own.survey import _MODELS, schema
from ylemorph.web.carry import hand_over

KINDS = set(get_args(model.Kind))


def words(literal):
    return set(get_args(literal))


@pytest.mark.parametrize(
    ("name", "table", "whole"),
    [
        ("ABILITIES", filesystems.ABILITIES, KINDS),
        ("KIND_NAMES", filesystems.KIND_NAMES, KINDS),
        ("TABLE_CODES", findings.TABLE_CODES, words(model.TableNote)),
        ("NOTE_CODES", findings.NOTE_CODES, words(model.FileSystemNote)),
        ("FINDINGS", finding_kinds.FINDINGS, words(finding_kinds.FindingCode)),
        ("DIFFERENCES", differences.DIFFERENCES, words(differences.DifferenceKey)),
        ("codes of differences", {kind.code for kind in differences.DIFFERENCES.values()}, words(differences.Code)),
        ("FIT_KINDS", fits.FIT_KINDS, words(options.Fit)),
        ("readers of options", {**_READERS, **_SIZED}, words(options.ValueKind)),
        ("writers of options", _WRITERS, words(options.ValueKind)),
        ("types of options", {**option_models._TYPES, "choice": 0}, words(options.ValueKind)),
        ("WAY_KINDS", ways.WAY_KINDS, words(sequence.WayKey)),
        ("LINK_RATES", times.LINK_RATES, words(model.Link)),
        ("REASON_WORDS", aftermath.REASON_WORDS, words(aftermath.Reason)),
        ("offers after a failure", aftermath._OFFERS, words(aftermath.Reason)),
        ("HAND_OVER", hand_over.HAND_OVER, words(hand_over.HandOverForm)),
    ],
)
def test_no_table_lacks_an_entry(name, table, whole):
    assert set(table) == whole, name


def test_each_kind_of_step_has_a_record_of_its_own():
    records = [record_of(kind) for kind in sequence.STEP_KINDS]
    assert len({record.words for record in records}) == len(records)
    fields = set(sequence.Step._fields)
    for record in records:
        assert set(record.needs) <= fields
        assert 0 < record.fixed[0] < record.fixed[1]


def test_a_kind_stands_only_in_tables_that_know_it():
    for table in (filesystems.LEAST_CLUSTERS, filesystems.MOST_CLUSTERS, filesystems.MOST_BYTES, filesystems._LEAST):
        assert set(table) <= KINDS
    assert set(filesystems._LEAST) == filesystems.HAS_LEAST


def test_every_option_has_a_flag_a_model_and_reads_back():
    assert set(option_models.OptionsModel.model_fields) == set(options.OPTIONS)
    for key, kind in options.OPTIONS.items():
        assert kind.help.endswith("."), key
        assert bool(kind.set_words) == bool(kind.unset_words), key
    assert options_from(options_to_data(options.Options())) == options.Options()


def test_every_change_can_be_sent_or_stands_for_options():
    assert set(CHANGES) - {"option"} <= set(changes.CHANGE_KINDS)
    assert {kind.key.replace("_", "-") for kind in changes.OPTION_CHANGES.values()} <= set(changes.CHANGE_KINDS)


def test_every_field_of_a_survey_is_read_written_and_in_the_schema():
    for declared, made in _MODELS.items():
        names = {field.name for field in fields(declared)}
        assert set(made.model_fields) == names
        assert set(schema()["$defs"][made.__name__]["properties"]) == names


def test_every_listing_says_how_it_is_made_and_is_told_apart():
    assert len({listing.form for listing in LISTINGS}) == len(LISTINGS)
    for listing in LISTINGS:
        assert listing.form
        assert listing.command or not listing.where


def test_the_core_imports_no_framework():
    code = (
        "import pkgutil, sys, ylemorph.core as c\n"
        "for m in pkgutil.walk_packages(c.__path__, 'ylemorph.core.'): __import__(m.name)\n"
        "print([n for n in ('flask', 'sqlite3', 'pydantic', 'click', 'rich', 'waitress') if n in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_there_is_no_circle_of_imports():
    graph = grimp.build_graph("ylemorph", exclude_type_checking_imports=True)
    done, open_ = set(), []

    def walk(module):
        if module in open_:
            raise AssertionError(" imports ".join([*open_[open_.index(module) :], module]))
        if module not in done:
            open_.append(module)
            for other in sorted(graph.find_modules_directly_imported_by(module)):
                walk(other)
            open_.pop()
            done.add(module)

    for module in sorted(graph.modules):
        walk(module)
