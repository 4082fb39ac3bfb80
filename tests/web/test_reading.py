"""Listings, typed rows, the source put right, the bench and paths of this machine, over HTTP."""

import base64
import json
import time
from types import SimpleNamespace

import pytest

from tests.web.conftest import Api
from ylemorph.core.disk.roles import LINUX_DATA
from ylemorph.stand_ins.disks import STAND_INS
from ylemorph.store.preparing import prepare
from ylemorph.web.app import create_app


def read(api, text="", **more):
    return api("POST", "/api/surveys/read", {"text": text, **more})


def test_an_own_survey_comes_back_as_it_is(api, survey):
    answer = read(api, json.dumps(survey)).get_json()
    assert answer["found"] == [{"name": "Brindle K4", "survey": survey, "missing": []}]
    assert read(api, "{").status_code == 422


def test_the_bytes_of_a_file_in_any_encoding(api, survey):
    data = base64.b64encode(json.dumps(survey).encode("utf-16")).decode()
    assert api("POST", "/api/surveys/read", {"data": data}).get_json()["found"][0]["survey"] == survey
    assert api("POST", "/api/surveys/read", {"data": "?"}).get_json()["at"] == "data"


def test_a_second_listing_is_added(api, survey):
    for partition in survey["disk"]["partitions"]:
        if partition["filesystem"]:
            partition["filesystem"]["used_bytes"] = None
    rows = "no,size,used,label\n3,420 GiB,131 GiB,Desk 2\n4,510 GiB,96 GiB,Catalogue\n"
    answer = read(api, rows, onto=survey).get_json()
    used = [
        p["filesystem"]["used_bytes"] for p in answer["found"][0]["survey"]["disk"]["partitions"] if p["filesystem"]
    ]
    assert used == [None, 131 << 30, 96 << 30, None]
    assert any("“Desk” and is “Desk 2”" in line for line in answer["conflicts"])
    assert read(api, "no,size\n9,3 GiB\n", onto=survey).status_code == 422


def test_typed_rows(api):
    body = {"rows": [{"size": "260 MiB"}, {"size": "420", "used": "131"}], "size": "500GB"}
    disk = api("POST", "/api/surveys/typed", body).get_json()["found"][0]["survey"]["disk"]
    assert disk["sectors"] == 976_773_168
    assert [p["role"] for p in disk["partitions"]] == ["start", "system"]
    body = {"rows": [{"size": "1"}] * 6, "table": "mbr"}
    assert api("POST", "/api/surveys/typed", body).get_json()["roles"] == [""] * 6  # the extended one is no row
    refused = api("POST", "/api/surveys/typed", {"rows": [{"size": "420", "used": "x"}]}).get_json()
    assert refused["at"] == "rows[0].used"


def test_the_commands_are_told(api):
    commands = [item["command"] for item in api("GET", "/api/surveys/commands").get_json()["commands"]]
    assert any("Get-Volume" in command for command in commands)
    assert any("lsblk --json" in command for command in commands)


# --- The source put right --------------------------------------------------------------------------------------------


def change(api, job, **body):
    return api("POST", f"/api/jobs/{job['id']}/changes", body)


def test_facts_are_typed_and_undone(api, job):
    api("POST", f"/api/jobs/{job['id']}/changes", {"kind": "pin", "row": 3, "size": "240GiB"})
    amended = change(api, job, kind="used", row=3, text="140").get_json()
    assert amended["source"]["disk"]["partitions"][2]["filesystem"]["used_bytes"] == 140 << 30
    assert amended["options"]["pin"] == {"3": 240 << 30}
    amended = change(api, job, kind="lightened", row=3, text="/old videos\t38654705664 bytes\n").status_code
    assert amended == 422
    amended = change(api, job, kind="lightened", row=3, text="38654705664\t/old videos\n").get_json()
    row = next(row for row in amended["morph"]["plan"]["rows"] if row["number"] == 3)
    assert row["hard_floor_bytes"] < 140 << 30
    amended = change(api, job, kind="immovable", row=3, text="201").get_json()
    look = next(look for look in amended["source_look"] if look["number"] == 3)
    assert look["text"].startswith("It cannot go under 201 GiB")
    history = api("GET", f"/api/jobs/{job['id']}/history").get_json()["revisions"]
    assert [line["sentence"] for line in history[:3]] == [
        "Immovable end of Desk (3) typed as 201 GiB",
        "36 GiB of Desk (3) stay behind",
        "Used space of Desk (3) typed as 140 GiB",
    ]
    assert change(api, job, kind="used", row=9, text="1").status_code == 422


def test_the_source_is_refused_as_its_own_target(api, job, survey):
    refused = change(api, job, kind="target", target=survey)
    assert refused.status_code == 422
    assert "both carry the serial BK4-00731" in refused.get_json()["detail"]
    survey["disk"] |= {"serial": "7710-0042", "model": "USB adapter 7710", "table_id": "5B0A"}
    change(api, job, kind="source", survey={**survey, "disk": {**survey["disk"], "serial": "x"}})
    refused = change(api, job, kind="target", target=survey).get_json()
    assert "the disk identity 5B0A" in refused["detail"]


def test_a_target_that_holds_something_is_confirmed(api, job, survey):
    survey["disk"] |= {"serial": "QS2-4410", "model": "Quillon S2"}
    changed = change(api, job, kind="target", target=survey).get_json()
    assert (changed["target_confirmed"], changed["target_head"]["confirmation"]) == (False, "4410")
    assert changed["target_compared"] == "Exactly as large as the source."
    assert changed["target_finishes"]  # it is a clone
    other = {
        **survey,
        "disk": {
            **survey["disk"],
            "partitions": [survey["disk"]["partitions"][0] | {"uuid": None, "filesystem": None, "type": LINUX_DATA}],
        },
    }
    assert not change(api, job, kind="target", target=other).get_json()["target_finishes"]
    change(api, job, kind="target", target=survey)
    refused = change(api, job, kind="confirm", text="44ab")
    assert (refused.status_code, refused.get_json()["at"]) == (422, "text")
    changed = change(api, job, kind="confirm", text=" 4410 ").get_json()
    assert changed["target_confirmed"]
    assert "target-holds-data" not in {f["code"] for f in changed["morph"]["plan"]["findings"]}


# --- The bench -------------------------------------------------------------------------------------------------------


def test_the_bench_attaches_reads_and_detaches(api):
    assert {d["attached"] for d in api("GET", "/api/bench").get_json()["disks"]} == {False}
    assert api("POST", "/api/bench/reading/read").status_code == 404
    assert api("POST", "/api/bench/nothing/attach").status_code == 404
    listed = api("POST", "/api/bench/reading/attach").get_json()["disks"]
    disk = next(d for d in listed if d["key"] == "reading")
    assert (disk["attached"], disk["holds"], disk["health"]["state"]) == (True, "4 partitions of 118 GiB", "worn")
    survey = api("POST", "/api/bench/reading/read").get_json()["disk"]
    assert (survey["serial"], survey["partitions"][2]["filesystem"]["label"]) == ("QS1-2093", "Reading")
    listed = api("POST", "/api/bench/reading-copy/attach").get_json()["disks"]
    copies = [d["same_identity"] for d in listed if d["attached"]]
    assert copies == [["Quillon S2 QS2-5120"], ["Quillon S1 QS1-2093"]]
    copy = api("POST", "/api/bench/reading-copy/read").get_json()["disk"]
    assert copy["table_notes"] == ["backup-misplaced"]
    api("POST", "/api/bench/reading/detach")
    assert api("POST", "/api/bench/reading/read").status_code == 404


@pytest.mark.parametrize("key", [s.key for s in STAND_INS])
def test_every_stand_in_can_be_read(api, key):
    assert api("POST", f"/api/bench/{key}/attach").status_code == 200
    survey = api("POST", f"/api/bench/{key}/read").get_json()["disk"]
    stand_in = next(s for s in STAND_INS if s.key == key)
    assert survey["sectors"] * survey["logical_sector_bytes"] == stand_in.sectors * stand_in.sector
    assert bool(survey["partitions"]) == (stand_in.image is not None)
    states = {p["filesystem"]["state"] for p in survey["partitions"] if p["filesystem"]}
    assert states <= {"clean"}


# --- Paths of this machine -------------------------------------------------------------------------------------------


@pytest.fixture
def open_api(tmp_path):
    allowed = tmp_path / "images"
    allowed.mkdir()
    (allowed / "disk.img").write_bytes(bytes(1 << 20))
    (tmp_path / "secret.img").write_bytes(bytes(1 << 20))
    (allowed / "link.img").symlink_to(tmp_path / "secret.img")
    (allowed / "folder").mkdir()
    return Api(create_app(prepare(tmp_path / "data"), read_from=(allowed,))), allowed


def finished(api, answer):
    reading = answer.get_json()
    for _ in range(200):
        reading = api("GET", f"/api/readings/{reading['id']}").get_json()
        if reading["state"] != "running":
            break
        time.sleep(0.01)
    return reading


def test_a_path_is_read_only_from_the_allowed_folders(open_api):
    api, allowed = open_api
    reading = finished(api, api("POST", "/api/readings", {"path": str(allowed / "disk.img")}))
    assert (reading["state"], reading["survey"]["disk"]["sectors"]) == ("done", 2048)
    for path in (
        allowed.parent / "secret.img", allowed / "link.img", allowed / ".." / "secret.img", "/etc/passwd", "", "a\0b",
    ):  # fmt: skip
        refused = api("POST", "/api/readings", {"path": str(path)})
        assert refused.status_code == 403, path
        assert refused.get_json()["mend"]
    failed = api("POST", "/api/readings", {"path": str(allowed / "folder")})
    assert (failed.status_code, "This is a folder" in failed.get_json()["detail"]) == (422, True)
    assert api("GET", "/api/readings/none").status_code == 404


def test_reading_by_path_is_off_unless_switched_on(api):
    assert api("GET", "/api/readings").get_json() == {"folders": []}
    assert api("POST", "/api/readings", {"path": "/dev/sda"}).status_code == 403


def test_a_reading_can_be_stopped(open_api):
    from ylemorph.core.errors import YlemorphError
    from ylemorph.probe.media.medium import Stopped
    from ylemorph.usecases.readings import DiskRead

    reading = DiskRead(SimpleNamespace(name="x"))
    reading.progress(10, 100)
    reading.stopping = True
    with pytest.raises(Stopped) as caught:
        reading.progress(20, 0)
    assert isinstance(caught.value, YlemorphError)
    assert (reading.done, reading.total) == (10, 100)


def test_a_link_that_appears_after_the_check_is_not_followed(open_api, monkeypatch):
    """The path is checked, then a part of it becomes a link: what is opened is what stands below the folder."""
    api, allowed = open_api
    (allowed / "inside").mkdir()
    (allowed / "inside" / "disk.img").write_bytes(bytes(1 << 20))
    path = allowed / "inside" / "disk.img"
    monkeypatch.setattr("ylemorph.usecases.readings.os.path.realpath", lambda text: str(path))
    (allowed / "inside").rename(allowed / "before")
    (allowed / "inside").symlink_to(allowed.parent)
    refused = api("POST", "/api/readings", {"path": str(path)})
    assert refused.status_code == 422
    assert "Cannot be read" in refused.get_json()["detail"]
