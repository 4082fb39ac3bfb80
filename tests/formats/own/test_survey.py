"""``ylemorph.disk/1``: what is written reads back equal; what is wrong is said in one sentence with its place."""

import copy
import json

import jsonschema
import pytest
from hypothesis import given

from tests.make import desk, read_survey, sources
from ylemorph.core.disk.model import Survey
from ylemorph.core.errors import YlemorphError
from ylemorph.demo.scenario import jobs
from ylemorph.formats.own.survey import schema
from ylemorph.formats.own.survey_data import MAX_FILE_BYTES, survey_to_data, write_survey

SCHEMA = jsonschema.Draft202012Validator(schema())

# The contract's example, with its GUIDs written out.
EXAMPLE = {
    "format": "ylemorph.disk/1",
    "taken": "2026-11-23T10:00:00Z",
    "disk": {
        "model": "Brindle K4", "serial": "BK4-00731", "link": "sata", "rotational": True,
        "logical_sector_bytes": 512, "physical_sector_bytes": 4096, "sectors": 1953525168, "table": "gpt",
        "table_id": "0x1a2b3c4d",
        "partitions": [
            {
                "number": 3, "first_lba": 567296, "sectors": 880803840, "logical": False,
                "type": "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7", "name": "", "flags": [], "role": "system",
                "filesystem": {
                    "kind": "ntfs", "label": "Desk", "uuid": "", "cluster_bytes": 4096, "size_bytes": 450971566080,
                    "used_bytes": 140660178944, "last_used_byte": 402653184000, "immovable_end_byte": None,
                    "state": "clean", "usage_map": {"bucket_bytes": 1761607680, "used": [1, 2]},
                    "lightened": [{"name": "old videos", "bytes": 1234}],
                },
            }
        ],
    },
}  # fmt: skip


def test_the_example():
    survey = read_survey(json.dumps(EXAMPLE))
    assert survey.disk.partitions[0].filesystem.lightened[0].name == "old videos"
    assert survey_to_data(survey) == EXAMPLE


@given(sources())
def test_written_surveys_read_back_equal_and_keep_the_schema(source):
    text = write_survey(Survey(source))
    assert read_survey(text).disk == source
    SCHEMA.validate(json.loads(text))


def test_the_demo_keeps_the_schema():
    for job in jobs():
        SCHEMA.validate(survey_to_data(job.source))


def test_what_is_not_known_may_be_missing():
    partition = {"number": 1, "first_lba": 2048, "sectors": 2048, "type": "0x7f"}
    bare = {
        "format": "ylemorph.disk/1",
        "disk": {"logical_sector_bytes": 512, "sectors": 9999, "partitions": [partition]},
    }
    disk = read_survey(json.dumps(bare)).disk
    assert (disk.table, disk.partitions[0].type, disk.partitions[0].filesystem) == ("mbr", "0x7F", None)


def changed(path, value):
    data = copy.deepcopy(EXAMPLE)
    holder = data
    *way, last = path
    for key in way:
        holder = holder[key]
    if value is ...:
        del holder[last]
    else:
        holder[last] = value
    return json.dumps(data)


PART = ("disk", "partitions", 0)
FS = (*PART, "filesystem")


@pytest.mark.parametrize(
    ("text", "at"),
    [
        (changed(("format",), "other/1"), "format"),
        (changed(("format",), ...), "format"),
        (changed(("disk",), ...), "disk"),
        (changed(("disk", "sectors"), -1), "disk.sectors"),
        (changed(("disk", "sectors"), 0), "disk.sectors"),
        (changed(("disk", "sectors"), 2**63), "disk.sectors"),
        (changed(("disk", "sectors"), 2**62), "disk.sectors"),
        (changed(("disk", "sectors"), "100"), "disk.sectors"),
        (changed(("disk", "sectors"), 1.5), "disk.sectors"),
        (changed(("disk", "sectors"), True), "disk.sectors"),
        (changed(("disk", "sectors"), None), "disk.sectors"),
        (changed(("disk", "logical_sector_bytes"), 500), "disk.logical_sector_bytes"),
        (changed(("disk", "link"), "pigeon"), "disk.link"),
        (changed(("disk", "colour"), "red"), "disk.colour"),
        (changed(("disk", "partitions"), {}), "disk.partitions"),
        (changed((*PART, "type"), "windows"), "disk.partitions[0].type"),
        (changed((*PART, "number"), 0), "disk.partitions[0].number"),
        (changed((*PART, "first_lba"), ...), "disk.partitions[0].first_lba"),
        (changed((*PART, "sectors"), 10**12), "disk.partitions[0].sectors"),
        (changed((*PART, "role"), "king"), "disk.partitions[0].role"),
        (changed((*FS, "kind"), "zebra"), "disk.partitions[0].filesystem.kind"),
        (changed((*FS, "used_bytes"), -5), "disk.partitions[0].filesystem.used_bytes"),
        (changed((*FS, "used_bytes"), 10**15), "disk.partitions[0].filesystem.used_bytes"),
        (changed((*FS, "used"), 5), "disk.partitions[0].filesystem.used"),
        (changed((*FS, "usage_map", "bucket_bytes"), 0), "disk.partitions[0].filesystem.usage_map.bucket_bytes"),
        ("not json", ""),
        ("", ""),
        ("[1, 2]", ""),
        ("{" * 100_000, ""),
        ("[" * 100_000, ""),
        (b"\xff\xfe\x00", ""),
        (b" " * (MAX_FILE_BYTES + 1), ""),
    ],
)  # fmt: skip
def test_one_sentence_with_its_place(text, at):
    with pytest.raises(YlemorphError) as caught:
        read_survey(text)
    said = str(caught.value)
    assert caught.value.at == at
    assert caught.value.mend
    assert "\n" not in said
    assert len(said) < 300


def test_the_unknown_file_system_is_told_what_to_write():
    with pytest.raises(YlemorphError, match="unknown"):
        read_survey(changed((*FS, "kind"), "zebra"))


def test_table_ids_and_names_stay_as_they_are():
    survey = Survey(desk(model="=HYPERLINK()", table_id="0x1a2b3c4d"), "2026-11-23T10:00:00Z")
    assert read_survey(write_survey(survey)) == survey
