"""The disks of this machine over HTTP: for whom, and read as they are."""

import os
import shutil
import subprocess
import time

import pytest

from tests.attached.machines import CUSTOMER, disk, lsblk
from tests.lacking import here_alone
from tests.web.conftest import Api
from ylemorph.attached import linux
from ylemorph.attached.listing import DisksHere, Lister
from ylemorph.store.preparing import prepare
from ylemorph.usecases.readings import RealDisks
from ylemorph.web.app import create_app
from ylemorph.web.edge.services import services

MIB = 2**20
ELSEWHERE = "192.0.2.7"


@pytest.fixture
def image(tmp_path, app, api):
    """The desk's disk of the bench, as a file."""
    api("POST", "/api/bench/desk/attach")
    return services(app).shop.bench.folder / "desk.img"


def served(tmp_path, image, allowed, **more):
    """An application whose machine lists that file as a disk."""
    app = create_app(prepare(tmp_path / "own"), disks=allowed)
    listed = disk("sdx", image.stat().st_size, path=str(image), model="Brindle K4", serial="BK4-00731", tran="usb",
                  **more)  # fmt: skip
    shop, listing = services(app).shop, DisksHere(Lister(linux.ask, "ask"), lambda _: lsblk(listed))
    object.__setattr__(shop, "disks", RealDisks(allowed, shop.readings, listing))
    return Api(app)


def read(api, key, **body):
    progress = api("POST", f"/api/disks/{key}/read", body).get_json()
    while progress["state"] == "running":
        time.sleep(0.01)
        progress = api("GET", f"/api/readings/{progress['id']}").get_json()
    return progress


def test_a_disk_is_listed_and_read_with_what_the_system_knows_of_it(tmp_path, image):
    api = served(tmp_path, image, "here")
    (shown,) = api("GET", "/api/disks").get_json()["disks"]
    assert (shown["model"], shown["serial"], shown["link"], shown["uses"], shown["cannot"]) == (
        "Brindle K4", "BK4-00731", "usb3", [], ""
    )  # fmt: skip
    assert " s" in shown["takes"]
    progress = read(api, shown["key"])
    assert (progress["state"], progress["trouble"]) == ("done", "")
    found = progress["survey"]["disk"]
    assert (found["model"], found["serial"], found["link"]) == ("Brindle K4", "BK4-00731", "usb3")
    assert len(found["partitions"]) == 5
    assert api("POST", "/api/disks/ffff/read", {}).get_json()["detail"] == "This disk is not attached any more"


def test_what_is_in_use_is_read_when_that_is_said(tmp_path, image):
    api = served(tmp_path, image, "here", mountpoints=["/media/desk"])
    (shown,) = api("GET", "/api/disks").get_json()["disks"]
    assert shown["uses"] == ["mounted at /media/desk"]
    refused = api("POST", f"/api/disks/{shown['key']}/read", {})
    assert (refused.status_code, refused.get_json()["detail"]) == (422, "It is in use: mounted at /media/desk")
    assert read(api, shown["key"], although_in_use=True)["state"] == "done"


def test_another_disk_in_its_place_is_not_taken_for_it(tmp_path, image):
    api = served(tmp_path, image, "here")
    (shown,) = api("GET", "/api/disks").get_json()["disks"]
    os.truncate(image, image.stat().st_size - MIB)
    progress = read(api, shown["key"])
    assert (progress["state"], progress["survey"]) == ("failed", None)
    assert progress["trouble"].startswith("another disk has taken its place")


@pytest.mark.parametrize(
    ("allowed", "here", "elsewhere"),
    [("nobody", 403, 403), ("here", 422, 403), ("network", 422, 422)],
)
def test_nobody_reaches_them_from_another_machine_unless_that_is_allowed(tmp_path, image, allowed, here, elsewhere):
    """422: asked for a disk that is not there, so it got through."""
    api = served(tmp_path, image, allowed)
    for address, status in (("127.0.0.1", here), ("::ffff:127.0.0.1", here), (ELSEWHERE, elsewhere)):
        where = {"REMOTE_ADDR": address}
        headers = {"Host": "127.0.0.1:8642"}
        shown = api.client.get("/api/disks", headers=headers, environ_base=where).get_json()
        assert (shown["allowed"], len(shown["disks"])) == (status == 422, int(status == 422))
        asked = api.client.post("/api/disks/ffff/read", json={}, headers=headers, environ_base=where)
        assert asked.status_code == status


def test_a_system_that_does_not_list_is_said(tmp_path, image):
    app = create_app(prepare(tmp_path / "own"), disks="here")
    shop = services(app).shop
    listing = DisksHere(Lister(linux.ask, "ask"), lambda _: b"lsblk: it cannot")
    object.__setattr__(shop, "disks", RealDisks("here", shop.readings, listing))
    shown = Api(app)("GET", "/api/disks").get_json()
    assert "lsblk did not list" in shown["trouble"]


@here_alone
@pytest.mark.skipif(os.geteuid() != 0 or shutil.which("losetup") is None, reason="needs root and loop devices")
def test_a_real_device_comes_is_read_and_goes(tmp_path, image):
    app = create_app(prepare(tmp_path / "own"), disks="here")
    api = Api(app)

    def shown(path):
        services(app).shop.disks._listing._at = 0.0
        return [one for one in api("GET", "/api/disks").get_json()["disks"] if one["path"] == path]

    made = subprocess.run(
        ["losetup", "--find", "--show", "--read-only", image], check=False, capture_output=True, text=True
    )
    if made.returncode:
        pytest.skip("no loop devices here")
    device = made.stdout.strip()
    try:
        (disk,) = shown(device)
        assert (disk["cannot"], disk["uses"]) == ("", [])
        progress = read(api, disk["key"])
        assert (progress["state"], len(progress["survey"]["disk"]["partitions"])) == ("done", 5)
    finally:
        subprocess.run(["losetup", "--detach", device], check=True)
    assert shown(device) == []
    assert CUSTOMER["path"] not in [one["path"] for one in api("GET", "/api/disks").get_json()["disks"]]
