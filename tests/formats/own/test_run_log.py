"""The script's log read back: damaged at any line, of runs that were gone on with, with the finished disk."""

import json

import pytest

from ylemorph.core.errors import BadSurvey
from ylemorph.formats.own.run_log import FORMAT, read_log

TABLE = {
    "partitiontable": {
        "label": "gpt", "id": "11111111-2222-3333-4444-55555555ABCD", "device": "/dev/x", "unit": "sectors",
        "firstlba": 2048, "lastlba": 204766, "sectorsize": 512,
        "partitions": [
            {"node": "/dev/x1", "start": 2048, "size": 4096, "type": "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7"},
            {"node": "/dev/x2", "start": 8192, "size": 4096, "type": "C12A7328-F81F-11D2-BA4B-00A0C93EC93B"},
        ],
    }
}  # fmt: skip


def line(event, step=None, second=0, **more):
    return json.dumps(
        {"format": FORMAT, "at": f"2026-11-28T06:00:{second:02}Z", "event": event, "step": step, "bytes": 0, "of": 0,
         "seconds": 0, "say": "", **more}
    )  # fmt: skip


def begun(plan="a" * 32, **more):
    return line("begin", plan=plan, steps=3, **more)


WHOLE = [
    begun(), line("step", 1), line("done", 1, 5, seconds=5), line("step", 2, 5),
    line("progress", 2, 6, bytes=50, of=100, seconds=1), line("done", 2, 9, seconds=4),
    line("step", 3, 9), line("failed", 3, 9, say="it cannot be written"),
]  # fmt: skip


def text(lines):
    return "".join(f"{one}\n" for one in lines)


def test_each_line_comes_back():
    log = read_log(text(WHOLE))
    assert (log.plan, log.trouble, log.found) == ("a" * 32, "", None)
    assert [(one.event, one.step, one.seconds) for one in log.lines[:3]] == [
        ("begin", None, 0),
        ("step", 1, 0),
        ("done", 1, 5),
    ]
    assert log.lines[-1].say == "it cannot be written"
    assert log.under_way is None
    under_way = read_log(text(WHOLE[:5])).under_way
    assert (under_way.step, under_way.bytes, under_way.of) == (2, 50, 100)


@pytest.mark.parametrize("number", range(1, len(WHOLE) + 1))
@pytest.mark.parametrize(
    "damage", ["", "{", "[1]", "null", '{"format": "another/1"}', line("flown", 1), line("done"), line("step", 0),
               line("done", 1, seconds=-1), line("done", 1, at="yesterday"), line("done", 1, bytes="many"),
               line("done", True), line("done", 1, at="2026-11-28T06:00:00"), "[" * 9999],
)  # fmt: skip
def test_damaged_at_any_line_it_is_taken_up_to_there(number, damage):
    lines = [*WHOLE[: number - 1], damage, *WHOLE[number:]]
    if damage and number == 1:
        with pytest.raises(BadSurvey, match="no log of a script: line 1 cannot be read"):
            read_log(text(lines))
        return
    if not damage:  # an empty line is none; without the first nothing begins
        if number == 1:
            with pytest.raises(BadSurvey, match="the line before it"):
                read_log(text(lines))
        return
    log = read_log(text(lines))
    assert len(log.lines) == number - 1
    assert log.trouble.startswith(f"line {number} cannot be read (")


def test_what_is_no_log_is_refused():
    for other in ("", "hello", '{"partitiontable": {}}'):
        with pytest.raises(BadSurvey, match="no log of a script"):
            read_log(other)


def test_runs_that_were_gone_on_with_are_one_and_another_run_is_another():
    on = read_log(text([*WHOLE[:4], begun(resumed=True), line("step", 2, 30), line("done", 2, 40, seconds=10)]))
    assert [one.step for one in on.lines if one.event == "done"] == [1, 2]
    anew = read_log(text([*WHOLE, begun(resumed=False), line("step", 1, 30)]))
    assert [one.event for one in anew.lines] == ["begin", "step"]
    other = read_log(text([*WHOLE, begun("b" * 32, resumed=True)]))
    assert (other.plan, len(other.lines)) == ("b" * 32, 1)


def test_the_finished_disk_comes_along():
    blkid = [
        {"start": 2048, "TYPE": "ntfs", "UUID": "01AB", "LABEL": "Data"},
        {"start": 8192, "TYPE": "vfat", "VERSION": "FAT32"},
    ]
    found = read_log(text([begun(), line("found", bytes=104_857_600, sfdisk=TABLE, blkid=blkid)])).found
    assert found.disk.sectors == 204_800
    assert [(row.first_lba, row.filesystem.kind) for row in found.disk.partitions] == [(2048, "ntfs"), (8192, "fat32")]
    assert (found.disk.partitions[0].filesystem.uuid, found.disk.partitions[0].label) == ("01AB", "Data")
    bad = read_log(text([begun(), line("found", sfdisk={})]))
    assert (bad.found, bad.trouble.startswith("line 2 cannot be read")) == (None, True)
