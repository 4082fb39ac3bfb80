"""The line "Will it start?" (rule 14), and what the check lists say of it."""

import subprocess

import pytest

from tests.make import desk, fs, row_of
from tests.real.volumes import sparse
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.step_kinds import words_of
from ylemorph.core.carry.will_start import HEADS, will_start
from ylemorph.core.disk.model import NO_CODE, StartCode
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.starting import starting_in_words
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB
from ylemorph.demo.scenario import bindery, print_server

OLD = row_of(
    (350 * MiB, "0x07", fs(used=46 * MiB), {"role": "start", "flags": frozenset(("active",))}),
    (100 * GiB, "0x07", fs(used=40 * GiB, label="Bindery"), {"role": "system"}), table="mbr", label_gb=120,
).but(model="Brindle K2", start_code=StartCode(63, "5" * 64))  # fmt: skip


def planned(source, target=480, **options):
    return make_plan(source, nominal_disk(target * GB), Options(**options))


@pytest.mark.parametrize(
    ("source", "options", "answer", "says"),
    [
        (desk(), {}, "yes", "Starts in UEFI mode from row 1."),
        (desk(), {"identity": "new"}, "mend", "Before the first start: mend the start data."),
        (desk(), {"firmware": "legacy"}, "no", ""),
        (desk(), {"leave": frozenset((1,))}, "no", ""),
        (OLD, {}, "yes", "the code of the first sector and the 62 sectors behind it"),
        (
            OLD.but(start_code=StartCode(2, "5" * 64)),
            {},
            "yes",
            "the code of the first sector and the sector behind it.",
        ),
        (OLD.but(start_code=StartCode(1, "5" * 64)), {}, "yes", "the code of the first sector."),
        (OLD.but(start_code=None), {}, "unknown", "read the disk itself"),
        (OLD.but(start_code=NO_CODE), {}, "no", "Nothing on it starts a machine."),
        (OLD, {"table": "gpt"}, "mend", "put start files for a GPT into the new start row"),
        (OLD, {"order": (2, 1)}, "mend", "mend the start data"),
        (row_of((GiB, BASIC_DATA, fs(used=MiB), {"role": "data"})), {}, "nothing", "No system goes over"),
    ],
)
def test_the_answer_is_never_silent(source, options, answer, says):
    made = will_start(planned(source, **options))
    assert (made.answer, made.head) == (answer, HEADS[answer])
    assert says in made.text.replace("The source starts", "Starts").replace("Brindle K2 starts", "Starts")
    assert made.line == f"{made.head}. {made.text}"


def test_what_does_not_fit_starts_nothing():
    made = will_start(planned(desk(), 120))
    assert (made.answer, made.text) == ("nothing", "It does not fit yet, so nothing goes over.")


def test_how_a_disk_starts_in_words():
    assert starting_in_words(OLD) == (
        "Starts in legacy mode by code in the first sector, 62 sectors behind it and row 1, which is active."
    )
    assert starting_in_words(OLD.but(start_code=None)) == "How it starts was not read."
    assert "UEFI mode" in starting_in_words(print_server().disk)
    assert "3 sectors behind it" in starting_in_words(bindery().disk)


def items(source, **options):
    made = carry_out(planned(source, **options), Facts(), "straight")
    return {item.key: item.text for item in made.lists}


def test_the_lists_say_what_was_kept_and_what_must_be_mended():
    kept = items(desk())
    assert "never attached together" in kept["never-both"]
    assert {"start-data", "loader"}.isdisjoint(kept)
    renewed = items(desk(), identity="new")
    assert "never-both" not in renewed
    assert "bcdboot W:\\Windows /s S: /f UEFI" in renewed["start-data"]
    assert "/f BIOS" in items(OLD, order=(2, 1))["start-data"]
    data = items(row_of((GiB, BASIC_DATA, fs(used=MiB), {"role": "data"})))
    assert {"never-both", "detached", "start-data"}.isdisjoint(data)


def typed(source, way="straight", **options):
    made = carry_out(planned(source, **options), Facts(backup="yes", backup_size=GiB), way)
    step = next(step for step in made.way.steps if step.kind == "start-code")
    return list(words_of(made.ground, way, step).typed)


def test_what_is_typed_by_hand(tmp_path):
    """The commands are run as they stand, on files: what they leave is what the script leaves."""
    source = OLD.but(partitions=tuple(
        p.but(first_lba=p.first_lba + 2048 * 7, filesystem=p.filesystem.but(named_start_lba=p.first_lba + 2048 * 7))
        for p in OLD.partitions
    ))  # fmt: skip
    commands = typed(source, fit="same", order=(2, 1))
    old, new = tmp_path / "old", tmp_path / "new"
    old.write_bytes(bytes(range(256)) * 200)
    sparse(new, 130 * GiB)
    for command in commands:
        text = command.replace("SOURCE", str(old)).replace("TARGET", str(new))
        subprocess.run(["sh", "-c", text], check=True, capture_output=True)
    plan = planned(source, fit="same", order=(2, 1))
    with new.open("rb") as file:
        assert file.read(440) == old.read_bytes()[:440]
        file.seek(512)
        assert file.read(62 * 512) == old.read_bytes()[512 : 63 * 512]
        row = plan.row(1)  # the system stays where it is
        file.seek(row.first_lba * 512 + 28)
        assert int.from_bytes(file.read(4), "little") == row.first_lba != row.row.partition.first_lba
    assert len(commands) == 3
    assert not any("SOURCE" in command for command in typed(source, "restore", fit="same", order=(2, 1)))
