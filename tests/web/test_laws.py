"""Laws of a job over HTTP: whatever is done can be undone to the byte, and no writer loses a change."""

import json
import random
import threading

import pytest

from tests.web.conftest import Api

ROWS = (1, 3, 4, 5, 9)


def a_change(rng):
    """One change that a person could make, some of which are refused."""
    row = rng.choice(ROWS)
    return rng.choice(
        (
            {"kind": "fit", "fit": rng.choice(("same", "proportional", "rest-to-one", "even-fill", "snug"))},
            {"kind": "pin", "row": row, "size": rng.choice(("200GiB", "+10G", "floor", "1MiB", "rest", "nonsense"))},
            {"kind": "drag", "row": row, "size": rng.randrange(2**39)},
            {"kind": "leave", "rows": [row]},
            {"kind": "carry", "row": row},
            {"kind": "hold", "row": row},
            {"kind": "release", "row": row},
            {"kind": "move", "row": row, "places": rng.randint(-4, 4)},
            {"kind": "role", "row": row, "role": rng.choice(("data", "system", "king"))},
            {"kind": "lighten", "row": row, "size": f"{rng.randint(0, 200)}GiB"},
            {"kind": "headroom", "value": rng.choice((0, 15, 40, -1))},
            {"kind": "tail", "value": rng.choice(("", "10%", "20GiB", "90%"))},
            {"kind": "free-after", "value": rng.choice((3, 4, ""))},
            {"kind": "table", "value": rng.choice(("keep", "gpt", "mbr"))},
            {"kind": "fact", "fact": "workspace", "value": rng.choice(("96GiB", "", "lots"))},
            {"kind": "fact", "fact": rng.choice(("backup", "change_source")), "value": rng.choice(("yes", "no", None))},
            {"kind": "way", "way": rng.choice(("straight", "through-image", "files", None))},
            {"kind": "reset"},
        )
    )


def an_amendment(rng):
    size = str(rng.randint(0, 500))
    kind, text = rng.choice((("used", size), ("immovable", size), ("lightened", "old videos 1 GiB")))
    return {"kind": kind, "row": rng.choice(ROWS), "text": text}


@pytest.mark.parametrize("seed", range(12))
def test_as_many_undos_as_changes_give_the_first_plan_back(api, job, seed):
    rng = random.Random(seed)
    url = f"/api/jobs/{job['id']}"
    first = json.dumps(api("GET", url).get_json()["morph"])
    made = 0
    for _ in range(25):
        answer = api("POST", f"{url}/changes", an_amendment(rng) if rng.random() < 0.2 else a_change(rng))
        assert answer.status_code in (200, 422), answer.get_json()
        if answer.status_code == 422:
            assert answer.get_json()["mend"]
        made = api("GET", url).get_json()["revision"]
    for _ in range(made - 1):
        api("POST", f"{url}/undo")
    back = api("GET", url).get_json()
    assert json.dumps(back["morph"]) == first
    assert back["can_undo"] is False
    for _ in range(made - 1):
        api("POST", f"{url}/redo")
    assert api("GET", url).get_json()["revision"] == made


def test_writers_at_once_over_http_lose_no_change(app, api, job):
    """Four windows write under the version each saw: every accepted change stands in history."""
    url = f"/api/jobs/{job['id']}"
    accepted, told = [], []

    def write(number):
        window = Api(app)
        for turn in range(6):
            version = window("GET", url).get_json()["version"]
            body = {"kind": "describe", "note": f"{number}-{turn}"}
            answer = window(
                "POST", f"{url}/changes", body, headers={"If-Match": str(version), "X-Window": f"window {number}"}
            )
            (accepted if answer.status_code == 200 else told).append((body["note"], answer.status_code))

    threads = [threading.Thread(target=write, args=(n,)) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    history = api("GET", f"{url}/history").get_json()["revisions"]
    assert len(history) == 1 + len(accepted)
    assert {status for _, status in told} <= {409}
    assert [entry["parent"] for entry in history] == [*range(len(accepted), 0, -1), None]
    assert api("GET", url).get_json()["note"] in {note for note, _ in accepted}


def test_both_sides_of_a_conflict_are_there(api, job):
    url = f"/api/jobs/{job['id']}"
    seen = {"If-Match": str(job["version"])}
    assert api("POST", f"{url}/changes", {"kind": "used", "row": 3, "text": "140"}, headers=seen).status_code == 200
    refused = api("POST", f"{url}/changes", {"kind": "used", "row": 3, "text": "150"}, headers=seen)
    assert refused.status_code == 409
    theirs = refused.get_json()["job"]
    assert theirs["source"]["disk"]["partitions"][2]["filesystem"]["used_bytes"] == 140 << 30
    again = api(
        "POST",
        f"{url}/changes",
        {"kind": "used", "row": 3, "text": "150"},
        headers={"If-Match": str(theirs["version"])},
    )
    assert again.get_json()["source"]["disk"]["partitions"][2]["filesystem"]["used_bytes"] == 150 << 30
