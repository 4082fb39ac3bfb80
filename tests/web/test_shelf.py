"""The shelf over HTTP, the ladder of a job, and how long its plan lasts."""

import pytest

from tests.make import desk
from ylemorph.core.disk.model import Survey
from ylemorph.core.sizes import GiB
from ylemorph.formats.own.survey_data import survey_to_data

CSV = (
    "name;size;link;form;price;currency;stock\nQuillon S2;480GB;sata;2.5-inch;44,90;EUR;3\n"
    "Quillon N1;1TB;nvme;m.2;79;EUR;\n=Brindle;256GB;sata;2.5-inch;30;GBP;1\n"
)


def survey(taken="2026-11-23T10:00:00Z", used=131, serial="BK4-1"):
    return survey_to_data(Survey(desk(used * GiB, serial=serial), taken))


@pytest.fixture
def job(api):
    return api("POST", "/api/jobs", {"source": survey(), "target": {"nominal": "480GB"}}).get_json()


def test_a_shelf_is_written_and_read_as_a_whole(api):
    empty = api("GET", "/api/shelf").get_json()
    assert (empty["disks"], empty["version"], len(empty["sizes"])) == ([], 0, 21)
    kept = api("PUT", "/api/shelf", {"csv": CSV, "version": 0}).get_json()
    assert [disk["name"] for disk in kept["disks"]] == ["Quillon S2", "Quillon N1", "=Brindle"]
    assert (kept["disks"][0]["price"], kept["currencies"], kept["version"]) == ("44.90", ["EUR", "GBP"], 1)
    again = api("PUT", "/api/shelf", {"disks": kept["disks"], "version": 1}).get_json()
    assert (again["disks"], again["version"]) == (kept["disks"], 2)
    text = api("GET", "/api/shelf.csv").get_data(as_text=True)
    assert api("PUT", "/api/shelf", {"csv": text}).get_json()["disks"] == kept["disks"]


def test_two_windows_do_not_overwrite_each_other(api):
    api("PUT", "/api/shelf", {"csv": CSV, "version": 0})
    late = api("PUT", "/api/shelf", {"disks": [], "version": 0})
    assert (late.status_code, late.get_json()["detail"]) == (409, "The shelf was changed meanwhile")
    assert len(api("GET", "/api/shelf").get_json()["disks"]) == 3


@pytest.mark.parametrize(
    ("body", "at"),
    [
        ({}, "disks"), ({"csv": "", "version": 0}, "shelf"), ({"csv": CSV, "disks": []}, "disks"),
        ({"disks": [{"name": "A", "size": "480GB"}, {"name": "A", "size": "1TB"}]}, "disks"),
        ({"disks": [{"name": "A", "size": "480GB"}, {"name": "B", "size": "x"}]}, "disks[1].size"),
        ({"csv": "name,size\nA,1 sheep"}, "line 2, column size"),
    ],
)  # fmt: skip
def test_a_shelf_that_cannot_be_is_refused_and_nothing_is_lost(api, body, at):
    api("PUT", "/api/shelf", {"csv": CSV})
    answer = api("PUT", "/api/shelf", body)
    assert (answer.status_code, answer.get_json()["at"]) == (422, at)
    assert answer.get_json()["mend"]
    assert len(api("GET", "/api/shelf").get_json()["disks"]) == 3


def test_the_ladder_says_what_each_size_means(api, job):
    data = api("GET", f"/api/jobs/{job['id']}/ladder").get_json()
    by_name = {disk["name"]: disk for disk in data["disks"]}
    assert by_name["480GB"]["verdict"] == job["morph"]["plan"]["verdict"]
    assert by_name["120GB"]["says"].startswith("short by ")
    assert [name for name, disk in by_name.items() if disk["smallest"]] == ["250GB", "480GB"]
    assert data["least_tight_sectors"] < data["least_comfortable_sectors"]
    api("PUT", "/api/shelf", {"csv": CSV})
    own = api("GET", f"/api/jobs/{job['id']}/ladder?shelf=own&slot=2.5-inch%20SATA").get_json()
    assert [(disk["name"], disk["suits"]) for disk in own["disks"]] == [
        ("=Brindle", True), ("Quillon S2", True), ("Quillon N1", False)
    ]  # fmt: skip
    assert api("GET", f"/api/jobs/{job['id']}/ladder?slot=drawer").status_code == 422


def test_the_slot_is_a_fact_of_the_job(api, job):
    api("PUT", "/api/shelf", {"csv": CSV})
    api("POST", f"/api/jobs/{job['id']}/changes", {"kind": "fact", "fact": "slot", "value": "m.2 NVMe"})
    own = api("GET", f"/api/jobs/{job['id']}/ladder?shelf=own").get_json()
    assert (own["slot"], [disk["suits"] for disk in own["disks"]]) == ("m.2 NVMe", [False, False, True])


def test_without_a_source_it_says_what_is_missing(api):
    made = api("POST", "/api/jobs", {"name": "later"}).get_json()
    for what in ("ladder", "lasting"):
        assert api("GET", f"/api/jobs/{made['id']}/{what}").get_json()["mend"] == "read the source first"


def test_growth_is_told_by_surveys_of_the_same_disk_or_typed(api, job):
    """131 GiB on 23 November 2026, 120 a year before: 11 GiB in 365 days; typed growth comes before it."""
    url = f"/api/jobs/{job['id']}"
    read = api("GET", f"{url}/lasting").get_json()
    assert [(row["number"], row["lasting"]) for row in read["rows"]] == [(3, None), (4, None)]
    api("POST", "/api/jobs", {"source": survey("2025-11-23T10:00:00Z", 120)})
    api("POST", "/api/jobs", {"source": survey("2025-11-23T10:00:00Z", 90, serial="another")})
    row = api("GET", f"{url}/lasting").get_json()["rows"][0]
    assert (len(row["readings"]), row["lasting"]["readings"]) == (2, 2)
    assert abs(row["lasting"]["per_year_bytes"] - 11 * GiB * 365.25 / 365) < 100
    assert row["lasting"]["headroom"] < row["lasting"]["full"]
    change = {"kind": "growth", "row": 3, "size": "0 GiB"}
    assert api("POST", f"{url}/changes", change).status_code == 200
    row = api("GET", f"{url}/lasting").get_json()["rows"][0]
    assert (row["typed_bytes"], row["lasting"]["full"], row["lasting"]["text"]) == (0, None, "does not fill")
    api("POST", f"{url}/changes", {**change, "size": "40 GiB"})
    disks = api("GET", f"{url}/ladder").get_json()["disks"]
    full = [disk["lasts"]["full"] for disk in disks if disk["lasts"]]
    filling = [day for day in full if day]
    assert len(filling) > 5
    assert full == sorted(filling) + [None] * (len(full) - len(filling))
    assert api("POST", f"{url}/changes", {**change, "size": "much"}).status_code == 422
