"""What was once found broken over HTTP by attack, by review and by use; each stays mended here."""

import base64
import json
import os
import threading

import pytest

from tests.counting import counted
from tests.make import desk, row_of
from tests.web.conftest import Api
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.sizes import GiB
from ylemorph.formats.own.survey_data import survey_to_data

SMALL = {"nominal": "480GB"}


def changes(job):
    return f"/api/jobs/{job['id']}/changes"


def wide_survey():
    """Twenty partitions, each with a usage map of 60,000 entries: valid by the schema, over ten megabytes as text."""
    data = survey_to_data(Survey(row_of(*[(4 * GiB, BASIC_DATA, None)] * 20)))
    for partition in data["disk"]["partitions"]:
        used = [123_456] * 60_000
        partition["filesystem"] = {"kind": "ntfs", "usage_map": {"bucket_bytes": 131_072, "used": used}}
    return data


def test_a_survey_that_is_taken_can_be_read_back_and_deleted(api):
    made = api("POST", "/api/jobs", {"source": wide_survey()})
    assert made.status_code == 201
    job = made.get_json()
    assert [line["broken"] for line in api("GET", "/api/jobs").get_json()["jobs"]] == [""]
    assert len(api("GET", f"/api/jobs/{job['id']}").get_json()["source"]["disk"]["partitions"]) == 20
    assert api("DELETE", f"/api/jobs/{job['id']}").status_code == 204
    back = api("POST", f"/api/jobs/{job['id']}/back")  # limits guard what comes from elsewhere, not our own
    assert back.status_code == 201
    assert len(back.get_json()["source"]["disk"]["partitions"]) == 20


@pytest.mark.parametrize(
    "mine", [{"kind": "role", "row": 4, "role": "tools"}, {"kind": "target", "target": {"nominal": "500GB"}}]
)
def test_a_change_made_on_top_of_another_windows_keeps_it(api, job, mine):
    seen = {"If-Match": str(job["version"])}
    api("POST", changes(job), {"kind": "leave", "rows": [5]})
    refused = api("POST", changes(job), mine, seen)
    assert refused.status_code == 409
    on_top = {"If-Match": str(refused.get_json()["job"]["version"])}
    made = api("POST", changes(job), mine, on_top).get_json()
    assert made["options"]["leave"] == [5]
    assert made["options"].get("role") == {"4": "tools"} or made["target_size"] == "500GB"


def test_a_pair_with_large_sectors_keeps_them_when_a_size_is_taken(api):
    source = survey_to_data(Survey(desk()))
    source["disk"]["logical_sector_bytes"] = 4096
    source["disk"]["sectors"] //= 8
    for partition in source["disk"]["partitions"]:
        partition["first_lba"] //= 8
        partition["sectors"] //= 8
        if partition["filesystem"]:
            partition["filesystem"] |= {"usage_map": None}
    target = {"nominal": "120GB", "logical_sector_bytes": 4096}
    job = api("POST", "/api/jobs", {"source": source, "target": target}).get_json()
    remedy = next(r for r in job["morph"]["plan"]["remedies"] if r["kind"] == "shelf")
    made = api("POST", changes(job), remedy["change"]).get_json()
    assert made["target_sector"] == 4096
    assert made["morph"]["plan"]["verdict"] == remedy["verdict_after"]


# --- the guard of a target that holds something ----------------------------------------------------------------------


def on_target(api, job, **facts):
    survey = survey_to_data(Survey(desk()))
    survey["disk"] |= {"model": "Quillon S2", "serial": "", "table_id": None, **facts}
    return api("POST", changes(job), {"kind": "target", "target": survey}).get_json()


@pytest.mark.parametrize(
    ("facts", "asked", "wrong"),
    [
        ({"serial": "QS2-4410"}, "4410", "44ab"),
        ({"serial": "qs2-44ab"}, "44AB", "4410"),
        ({"serial": "----", "table_id": "2E77AB10-0000-0000-0000-91D0443E4410"}, "4410", "----"),
        ({"serial": "----"}, "Quillon S2 1 TB", "5168"),
        ({}, "Quillon S2 1 TB", "5168"),
    ],
)
def test_the_guard_asks_for_what_tells_the_disk(api, job, facts, asked, wrong):
    shown = on_target(api, job, **facts)
    assert (shown["target_confirmed"], shown["target_head"]["confirmation"]) == (False, asked)
    assert api("POST", changes(job), {"kind": "confirm", "text": wrong}).status_code == 422
    made = api("POST", changes(job), {"kind": "confirm", "text": f" {asked.lower()} "}).get_json()
    assert made["target_confirmed"]
    assert "target-holds-data" not in {f["code"] for f in made["morph"]["plan"]["findings"]}
    again = on_target(api, job, **{**facts, "model": "Quillon S3"})
    assert not again["target_confirmed"]


# --- figures and texts that no reader expects -------------------------------------------------------------------------

HUGE = "1e999990"
DIGITS = "9" * 5000
NASTY = (
    HUGE, f"{HUGE}%", DIGITS, f"{DIGITS}GiB", "\ud800", "a\0b", "-0", "NaN", "Infinity", "1e400", 10**400, -1, 2**63,
    1e308, float("nan"), [], {}, [[]], True, None, "=1+1", "%", "r²", "٣GiB",
)  # fmt: skip
KINDS = (
    "fit", "grow", "pin", "drag", "unpin", "leave", "carry", "hold", "release", "role", "lighten", "growth", "cleared",
    "move", "headroom", "headroom-system", "headroom-data", "tail", "free-after", "table", "grain", "order", "firmware",
    "confirm", "describe", "source", "target", "disk-size", "used", "immovable", "lightened", "reset", "option",
)  # fmt: skip
# Each value meets each field in one of three kinds; in all of them where there is more time.
EACH = 1 if os.environ.get("HYPOTHESIS_PROFILE") == "deep" else 3
FIELDS = ("row", "rows", "fit", "size", "role", "value", "text", "on", "target", "survey", "name")


def told(answer):
    assert answer.status_code < 500, answer.data[:300]
    if answer.status_code >= 400:
        problem = answer.get_json()
        assert answer.mimetype == "application/problem+json"
        assert problem["detail"]
        assert len(problem["detail"]) < 1000
    return answer


def raw(api, method, url, text, **headers):
    return api.client.open(
        url, method=method, data=text, headers={"Host": "127.0.0.1", "Content-Type": "application/json", **headers}
    )


def body_of(value):
    return json.dumps(value).replace('"\\ud800"', '"\\ud800"')


@pytest.mark.parametrize("kind", KINDS)
def test_no_change_breaks_on_nasty_values(api, job, kind):
    """Every field of every change with every nasty value: no 5xx, and none makes much more work than the usual."""
    with counted() as usual:
        api("POST", changes(job), {"kind": "leave", "rows": [5]})
    for place, field in enumerate(FIELDS):
        for value in NASTY[(KINDS.index(kind) + place) % EACH :: EACH]:
            body = body_of({"kind": kind, "row": 3, field: value})
            with counted() as calls:
                told(raw(api, "POST", changes(job), body))
            assert calls.count < 50 * usual.count, (field, value)
    told(api("GET", "/api/jobs"))
    assert api("GET", f"/api/jobs/{job['id']}").status_code == 200


ROUTES = [
    ("POST", "/api/plan", {"source": "SURVEY", "target": SMALL, "options": {}}),
    ("POST", "/api/jobs", {"source": "SURVEY", "target": SMALL, "name": ""}),
    ("PUT", "/api/settings", {"headroom": "", "headroom_system": "", "grain": "", "units": ""}),
    ("POST", "/api/surveys/read", {"text": "", "data": "", "size": "", "table": ""}),
    ("POST", "/api/surveys/typed", {"rows": [{"size": "1GiB"}], "size": "", "table": "", "bare": ""}),
    ("POST", "/api/readings", {"path": ""}),
]


@pytest.mark.parametrize(("method", "url", "body"), ROUTES, ids=lambda part: str(part)[:20])
def test_no_route_breaks_on_nasty_values(api, survey, method, url, body):
    whole = {key: survey if value == "SURVEY" else value for key, value in body.items()}
    for field in body:
        for value in NASTY:
            told(raw(api, method, url, body_of({**whole, field: value})))
    if url == "/api/plan":
        for option in (
            "headroom",
            "tail",
            "pin",
            "lighten",
            "grain",
            "order",
            "leave",
            "role",
            "free_after",
            "nonsense",
        ):
            for value in NASTY:
                told(raw(api, method, url, body_of({**whole, "options": {option: value}})))


@pytest.mark.parametrize("text", ["[" * 200_000, '{"a":' * 100_000, "[" * 100_000 + "]" * 100_000, "{", "nul", ""])
@pytest.mark.parametrize("url", [url for _, url, _ in ROUTES if "settings" not in url] + ["/api/jobs/1/changes"])
def test_deep_or_broken_json_is_refused(api, job, url, text):
    assert told(raw(api, "POST", url, text)).status_code in (400, 415, 422)


@pytest.mark.parametrize(
    ("method", "url", "headers", "status"),
    [
        ("GET", f"/api/jobs/{'9' * 25}", {}, 422),
        ("GET", f"/api/jobs/{2**63}", {}, 422),
        ("POST", f"/api/jobs/1/history/{2**63}", {}, 422),
        ("GET", f"/api/jobs/1/history?before={2**64}", {}, 422),
        ("POST", "/api/jobs/1/undo", {"If-Match": "\xb2"}, 422),
        ("GET", "/api/jobs/1/compare?second=r\u00b2", {}, 422),
        ("GET", "/api/jobs", {"Origin": "http://["}, 403),
        ("GET", "/api/jobs", {"Host": "["}, 403),
        ("PATCH", "/api/jobs/1", {}, 405),
        ("GET", "/api/plan", {}, 405),
        ("GET", "/api/nothing", {}, 404),
        ("POST", "/api/nothing", {}, 404),
        ("DELETE", "/api/nothing/at/all", {}, 404),
        ("POST", "/api/openapi.json", {}, 405),
    ],
)
def test_addresses_and_headers(api, job, method, url, headers, status):
    answer = told(api.client.open(url, method=method, headers={"Host": "127.0.0.1", **headers}))
    assert answer.status_code == status
    if status == 405:
        assert answer.headers["Allow"]


def test_bytes_that_are_no_base64(api):
    for data in ("ü", "====", "a", base64.b64encode(b"\xff\xfe\0").decode()):
        assert told(api("POST", "/api/surveys/read", {"data": data})).status_code == 422


# --- windows and programs at once -------------------------------------------------------------------------------------


def test_the_list_holds_while_jobs_come_and_go(app, api, survey):
    """Lists and comparisons while another window makes and deletes jobs."""
    failures = []

    def churn():
        window = Api(app)
        for _ in range(12):
            made = window("POST", "/api/jobs", {"source": survey, "target": SMALL}).get_json()
            window("DELETE", f"/api/jobs/{made['id']}")

    def look():
        window = Api(app)
        for number in range(30):
            for url in ("/api/jobs", f"/api/jobs/{number % 24 + 1}/compare?second=snug"):
                answer = window("GET", url)
                if answer.status_code >= 500:
                    failures.append((url, answer.get_json()))

    threads = [threading.Thread(target=run) for run in (churn, churn, look, look)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not failures


def test_the_bench_holds_while_disks_come_and_go(app):
    failures = []

    def run(number):
        window = Api(app)
        for turn in range(8):
            for url in (f"/api/bench/blank/{'attach' if (turn + number) % 2 else 'detach'}", "/api/bench/blank/read"):
                if window("POST", url).status_code >= 500:
                    failures.append(url)
            if window("GET", "/api/bench").status_code != 200:
                failures.append("list")

    threads = [threading.Thread(target=run, args=(n,)) for n in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not failures


def test_a_code_is_not_given_twice(api):
    taken = api("POST", "/api/jobs", {"code": "YM-0002"}).get_json()
    assert taken["code"] == "YM-0002"
    assert api("POST", "/api/jobs", {}).get_json()["code"] not in ("YM-0002", "")


def test_a_long_history_is_given_in_pages(api, job):
    for turn in range(120):
        api("POST", changes(job), {"kind": "fit", "fit": ("snug", "same")[turn % 2]})
    first = api("GET", f"/api/jobs/{job['id']}/history").get_json()
    assert (len(first["revisions"]), first["more"]) == (100, True)
    rest = api("GET", f"/api/jobs/{job['id']}/history?before={first['revisions'][-1]['number']}").get_json()
    assert [entry["number"] for entry in rest["revisions"]] == [*range(21, 0, -1)]
    assert rest["more"] is False


def test_sentences_keep_the_units_that_were_chosen(api, job):
    api("POST", changes(job), {"kind": "target", "target": {"nominal": "120GB"}})
    shown = api("GET", f"/api/jobs/{job['id']}?units=decimal").get_json()
    texts = [f["text"] + f["do"] for f in shown["morph"]["plan"]["findings"] + shown["source_findings"]]
    texts += [r["text"] for r in shown["morph"]["plan"]["remedies"]] + [shown["target_compared"]]
    texts += [look["text"] for look in shown["source_look"]]
    assert not [text for text in texts if "iB" in text]


def test_heading_and_card_say_one_figure(api, survey):
    for size in range(236, 262, 2):
        plan = api("POST", "/api/plan", {"source": survey, "target": {"nominal": f"{size}GB"}}).get_json()
        if plan["verdict"] == "tight":
            job = api("POST", "/api/jobs", {"source": survey, "target": {"nominal": f"{size}GB"}}).get_json()
            card = next(c for c in job["morph"]["cards"] if c["fit"] == "proportional")
            assert plan["kept_percent"] == card["kept_percent"]


def test_a_plan_that_carries_nothing_is_not_praised(api):
    blank = {"format": "ylemorph.disk/1", "disk": {"sectors": 10_000_000, "logical_sector_bytes": 512}}
    plan = api("POST", "/api/plan", {"source": blank, "target": SMALL}).get_json()
    assert plan["verdict"] is None
    assert plan["findings"][0]["code"] == "nothing-to-carry"
