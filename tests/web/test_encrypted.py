"""`serve --network` from an empty folder on: its own certificate, collecting by a pinned key, nothing in the clear."""

import hashlib
import http.client
import json
import re
import shutil
import socket
import ssl
import subprocess
import sys
import threading
from contextlib import ExitStack
from datetime import UTC, datetime, timedelta

import pytest
from cryptography import x509

from tests.make import desk
from tests.web.test_collect import run
from tests.web.test_network import routes
from tests.web.test_serving import free_port
from ylemorph.core.disk.model import Survey
from ylemorph.formats.documents.shell_script import functions
from ylemorph.formats.own.steps_read import read_steps
from ylemorph.formats.own.survey_data import survey_to_data
from ylemorph.serving import Service, _certificate, run_server
from ylemorph.web.edge import encryption
from ylemorph.web.edge.addresses import certified_names
from ylemorph.web.edge.certificates import CERTIFICATE, KEY, LASTS, RENEWED_BEFORE, own_certificate
from ylemorph.web.edge.encryption import MOST_OF_ONE, Clients, group_of

PASSWORD = "copper kettle on a ledge"


class Network:
    """The program serving a network from a data folder, and what it said when it started."""

    def __init__(self, folder, *more):
        self.port = free_port()
        command = [sys.executable, "-m", "ylemorph", "serve", "--network", "--port", str(self.port), "--data",
                   str(folder), *more]  # fmt: skip
        self.process = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
        self.said = ""
        while "SHA-256" not in self.said and (line := self.process.stderr.readline()):
            self.said += line
        self.fingerprint = self.process.stderr.readline().strip()
        self.cookies, self.token = "", ""

    def stop(self):
        self.process.terminate()
        self.process.wait(20)
        self.process.stderr.close()

    def client(self, source=None):
        """A browser's connection, to the certificate with the printed fingerprint alone."""
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
        made = http.client.HTTPSConnection("127.0.0.1", self.port, context=context, timeout=20, source_address=source)
        made.connect()
        shown = hashlib.sha256(made.sock.getpeercert(binary_form=True)).hexdigest().upper()
        assert shown == self.fingerprint.replace(":", "")
        return made

    def ask(self, method, path, body=None, source=None):
        client = self.client(source)
        headers = {"Content-Type": "application/json", "Cookie": self.cookies, "X-Ylemorph-Token": self.token}
        client.request(method, path, json.dumps(body) if body is not None else None, headers)
        answer = client.getresponse()
        data = answer.read()
        client.close()
        return answer, json.loads(data) if data else None

    def sign_in(self, name="Mara Quill"):
        answer, session = self.ask("POST", "/api/session", {"name": name, "password": PASSWORD})
        assert answer.status == 200
        given = answer.headers.get_all("Set-Cookie")
        self.cookies = "; ".join(cookie.split(";")[0] for cookie in given)
        self.token = session["token"]
        return answer

    def plain(self, method, path, body=None):
        client = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        client.request(method, path, body, {"Cookie": self.cookies, "X-Ylemorph-Token": self.token})
        answer = client.getresponse()
        data = answer.read()
        client.close()
        return answer, data


def add_people(folder):
    secret = folder.parent / "password"
    secret.write_text(PASSWORD)
    for name, role in (("Mara Quill", "workshop"), ("Odd Lund", "bench")):
        command = [sys.executable, "-m", "ylemorph", "people", "add", name, "--role", role, "--data", str(folder),
                   "--password-file", str(secret)]  # fmt: skip
        subprocess.run(command, check=True, capture_output=True, timeout=60)


@pytest.fixture(scope="module")
def peopled(tmp_path_factory):
    """A data folder that nobody serves yet, to be copied."""
    place = tmp_path_factory.mktemp("people") / "data"
    add_people(place)
    return place


@pytest.fixture(scope="module")
def folder(peopled, tmp_path_factory):
    return shutil.copytree(peopled, tmp_path_factory.mktemp("network") / "data")


@pytest.fixture(scope="module")
def network(folder):
    made = Network(folder)
    made.sign_in()
    yield made
    made.stop()


def test_the_first_start_makes_a_certificate_and_says_its_fingerprint(network, folder):
    assert f"https://127.0.0.1:{network.port}/" in network.said
    assert "It made a certificate, because there was none yet." in network.said
    assert re.fullmatch(r"([0-9A-F]{2}:){31}[0-9A-F]{2}", network.fingerprint)
    assert {(folder / name).stat().st_mode & 0o077 for name in (KEY, CERTIFICATE)} == {0}
    found = x509.load_pem_x509_certificate((folder / CERTIFICATE).read_bytes())
    named = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    assert "127.0.0.1" in {str(address) for address in named.get_values_for_type(x509.IPAddress)}
    _, told = network.ask("GET", "/api/data")
    assert told["certificate"]["fingerprint"] == network.fingerprint
    assert told["certificate"]["own"] is True


def test_cookies_of_this_host_alone_and_encrypted_from_now_on(network):
    answer = network.sign_in()
    session, device = answer.headers.get_all("Set-Cookie")
    for cookie, name in ((session, "__Host-ylemorph_session="), (device, "__Host-ylemorph_device=")):
        assert cookie.startswith(name)
        assert {"Secure", "HttpOnly", "Path=/", "SameSite=Strict"} <= {part.strip() for part in cookie.split(";")}
        assert "Domain" not in cookie
    assert answer.headers["Strict-Transport-Security"].startswith("max-age=")
    network.cookies = network.cookies.replace("__Host-", "")  # planted by another server of this name
    assert network.ask("GET", "/api/jobs")[0].status == 401
    network.sign_in()


def test_nothing_of_a_session_answers_unencrypted(network):
    seen = 0
    for _, method, path in (*routes(), ("", "GET", "/"), ("", "GET", "/jobs/1/fit"), ("", "POST", "/api/session")):
        answer, data = network.plain(method, path, "{}" if method != "GET" else None)
        assert answer.headers["Set-Cookie"] is None
        if method == "GET":
            assert (answer.status, answer.headers["Location"]) == (307, f"https://127.0.0.1:{network.port}{path}")
            assert data == b""
        else:
            assert (answer.status, data) == (403, b"Ylemorph answers encrypted only; use https.\n")
        seen += 1
    assert seen > 60


@pytest.mark.parametrize(
    "sent",
    [b"GET / HTTP/1.1\r\n\r\n", b"GET / HTTP/1.1\r\nHost: a b\r\n\r\n", b"\0" * 9000,
     b"GET http://x/ HTTP/1.1\r\nHost: x\r\n\r\n",
     b"GET /\r\nX: y HTTP/1.1\r\nHost: x\r\n\r\n", b"GET / HTTP/1.1\r\nHost: x\r\nLocation: y\xff\r\n", b"\x15\x03"],
)  # fmt: skip
def test_what_is_no_request_is_sent_nowhere(network, sent):
    with socket.create_connection(("127.0.0.1", network.port), timeout=20) as client:
        client.sendall(sent)
        client.shutdown(socket.SHUT_WR)
        said = b""
        while piece := client.recv(4096):
            said += piece
    assert b"Set-Cookie" not in said
    assert b"Location" not in said or said.count(b"\r\n") == 5
    assert network.ask("GET", "/api/health")[0].status == 200


def bare(line, tty):
    """The shown line on a machine that trusts no authority and knows nothing of us."""
    return run(
        f"exec env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin SSL_CERT_FILE=/dev/null sh -c {json.dumps(line)}", tty=tty
    )


@pytest.mark.skipif(shutil.which("lsblk") is None, reason="lsblk is not here")
def test_disks_are_collected_by_the_shown_line(network):
    _, job = network.ask("POST", "/api/jobs", {"name": "Desk"})
    _, given = network.ask("POST", f"/api/jobs/{job['id']}/collect")
    line = next(item["command"] for item in given["commands"] if item["command"].startswith("curl "))
    assert "--pinnedpubkey" in line
    line = re.sub(r"https://[^/]+/", f"https://127.0.0.1:{network.port}/", line)
    wrong = re.sub(r"sha256//.", lambda found: found[0][:-1] + ("A" if found[0][-1] != "A" else "B"), line)
    _, said = bare(wrong, "y\n")  # a key that is not ours: nothing is fetched
    assert "Thank you" not in said
    assert network.ask("GET", f"/api/jobs/{job['id']}/arrivals")[1]["arrivals"] == []
    status, said = bare(line, "y\n")
    assert (status, "arrived at Ylemorph" in said) == (0, True), said
    assert len(network.ask("GET", f"/api/jobs/{job['id']}/arrivals")[1]["arrivals"]) == 1


@pytest.mark.skipif(shutil.which("curl") is None, reason="curl is not here")
def test_a_script_tells_to_whoever_has_the_pinned_key_alone(network, tmp_path):
    """The script's own way to send, to the address that the page gives, where nobody vouches for the certificate."""
    survey = json.loads(json.dumps(survey_to_data(Survey(desk()))))
    _, job = network.ask("POST", "/api/jobs", {"source": survey, "target": {"nominal": "480GB"}})
    _, given = network.ask("POST", f"/api/jobs/{job['id']}/tell")
    assert "#sha256//" in given["address"]
    address = re.sub(r"https://[^/]+/", f"https://127.0.0.1:{network.port}/", given["address"])
    _, plan = network.ask("GET", f"/api/jobs/{job['id']}/hand-over/steps.json")
    sequence = read_steps(json.dumps(plan).encode())
    line = {"format": "ylemorph.log/1", "at": "2026-11-28T06:00:00Z", "event": "begin", "plan": sequence.fingerprint}
    (tmp_path / "lines").write_text(json.dumps(line) + "\n")

    def post(where):
        call = f"TELL='{where}' SENT=0 KEEP={tmp_path}; post < {tmp_path / 'lines'} || echo refused; finished=yes"
        (tmp_path / "post.sh").write_text(f"{functions()}\n{call}\n")
        return run(f"sh {tmp_path / 'post.sh'}").stdout

    wrong = re.sub("sha256//.", lambda found: found[0][:-1] + ("A" if found[0][-1] != "A" else "B"), address)
    assert "refused" in post(wrong)
    assert network.ask("GET", f"/api/jobs/{job['id']}/carry")[1]["run"] is None
    assert "refused" in post(address.split("#")[0])  # without the key nobody vouches for it
    assert "refused" not in post(address)
    assert network.ask("GET", f"/api/jobs/{job['id']}/carry")[1]["run"]["step"] == 1


def test_many_idle_connections_keep_nobody_out(network):
    with ExitStack() as held:
        for _ in range(200):
            held.enter_context(socket.create_connection(("127.0.0.1", network.port), timeout=20))
        greeted = [held.enter_context(network.client().sock) for _ in range(40)]
        assert len(greeted) == 40
        for source in (("127.0.0.1", 0), ("127.0.0.2", 0)):
            assert network.ask("GET", "/api/jobs", source=source)[0].status == 200


def test_security_is_noted_without_secrets(network, folder):
    answer, _ = network.ask("POST", "/api/session", {"name": "Mara Quill", "password": "not this one"})
    assert answer.status == 401
    network.ask("GET", "/api/jobs-file")
    network.ask("POST", "/api/people", {"name": "Iris Vance", "role": "look", "password": "another few words"})
    network.stop()
    made = Network(folder)
    made.sign_in()
    made.ask("POST", "/api/session", {"name": "Mara Quill", "password": "not this one"})
    made.ask("GET", "/api/jobs-file")
    made.process.terminate()
    lines = [json.loads(line) for line in made.process.stderr.read().splitlines() if line.startswith("{")]
    made.process.wait(20)
    made.process.stderr.close()
    assert [line["event"] for line in lines if line["says"] == "security"] == [
        "signed in", "sign-in refused", "exported"
    ]  # fmt: skip
    assert "not this one" not in str(lines)
    assert "Mara" not in str(lines)
    network.__init__(folder)  # the others go on with one that runs
    network.sign_in()


def test_a_second_start_keeps_the_certificate_and_another_name_is_told(peopled, tmp_path):
    data = shutil.copytree(peopled, tmp_path / "data")
    starts = []
    for more in ((), ("--name", "harrow-lane"), ()):
        network = Network(data, *more)
        network.sign_in()
        _, fleet = network.ask("POST", "/api/fleets", {"targets": ["480GB"]})
        _, given = network.ask("POST", f"/api/fleets/{fleet['id']}/collect")
        pin = re.search(r"sha256//[\w+/=]+", given["commands"][1]["command"])[0]
        starts.append((network.fingerprint, pin, network.said))
        network.stop()
    (first, pin, made), (named, pin_then, said), (again, _, nothing) = starts
    assert first != named == again
    assert pin == pin_then  # the lines that are shown hold
    assert "It made a certificate, because there was none yet." in made
    assert "other names or addresses now: harrow-lane" in said
    assert "It made a certificate" not in nothing


# --- the certificate by itself ----------------------------------------------------------------------------------------

NAMES = frozenset({"harrow-lane", "192.0.2.7", "::1"})


def test_it_is_renewed_in_time_with_its_key(tmp_path):
    begun = datetime(2026, 11, 1, tzinfo=UTC)
    first = own_certificate(tmp_path, NAMES, begun)
    assert first.changed == "there was none yet"
    for days, renewed in (
        (0, False),
        ((LASTS - RENEWED_BEFORE).days - 1, False),
        ((LASTS - RENEWED_BEFORE).days + 1, True),
    ):
        now = own_certificate(tmp_path, NAMES, begun + timedelta(days=days))
        assert (now.fingerprint != first.fingerprint, now.pin == first.pin) == (renewed, True)
    assert now.changed == "the one before was about to end"
    assert now.until > first.until


def test_servers_that_begin_at_once_have_one_key_and_its_certificate(tmp_path):
    found = []

    def begin():
        found.append(_certificate(Service(network=True), tmp_path))

    threads = [threading.Thread(target=begin) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert len({made.fingerprint for made in found}) == 1
    encryption.tls_context(found[0].certificate, found[0].key)


@pytest.mark.parametrize("damage", [b"", b"x", None])
@pytest.mark.parametrize("name", [KEY, CERTIFICATE])
def test_one_that_is_damaged_is_made_anew(tmp_path, name, damage):
    first = own_certificate(tmp_path, NAMES)
    if damage is None:
        (tmp_path / name).unlink()
    else:
        (tmp_path / name).write_bytes(damage)
    again = own_certificate(tmp_path, NAMES)
    assert again.changed
    assert (again.pin == first.pin) == (name == CERTIFICATE)
    encryption.tls_context(again.certificate, again.key)


def test_what_a_certificate_names():
    names = certified_names(("Workshop.Example", "no name"), "0.0.0.0")
    assert {"workshop.example", "localhost", "127.0.0.1", "::1"} <= names
    assert not {"no name", "0.0.0.0"} & names
    assert "192.0.2.9" in certified_names((), "192.0.2.9")


# --- who makes room ---------------------------------------------------------------------------------------------------


def test_the_idlest_of_the_address_with_too_many_goes():
    clients = Clients(100, 3)
    held = [clients.add("192.0.2.1", at)[0] for at in (5, 1, 3)]
    other = clients.add("192.0.2.2", 0)
    assert other[1] is None
    held[1].active = 9
    assert clients.add("192.0.2.1", 10)[1] is held[2]
    assert len(clients) == 4


def test_the_idlest_of_all_goes_where_there_are_too_many():
    clients = Clients(3, 3)
    held = [clients.add(f"192.0.2.{n}", at)[0] for n, at in enumerate((5, 1, 3))]
    assert clients.add("192.0.2.9", 10)[1] is held[1]
    assert len(clients) == 3
    assert MOST_OF_ONE * 3 < 1000


def test_one_machine_is_one_address():
    assert group_of("192.0.2.1") != group_of("192.0.2.2")
    assert group_of("2001:db8::1") == group_of("2001:db8::ffff") != group_of("2001:db8:0:1::1")
    assert group_of("odd") == "odd"


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({"plain": True}, "add --network"),
        ({"network": True, "plain": True, "certificate": "x", "key": "y"}, "leave one"),
    ],
)
def test_flags_that_contradict_each_other(tmp_path, given, words):
    with pytest.raises(ValueError, match=words):
        run_server(Service(data=str(tmp_path), **given))


def test_behind_a_proxy_of_ones_own(tmp_path):
    add_people(tmp_path / "data")
    port = free_port()
    command = [sys.executable, "-m", "ylemorph", "serve", "--network", "--plain", "--host", "127.0.0.1", "--port",
               str(port), "--data", str(tmp_path / "data")]  # fmt: skip
    process = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
    try:
        said = "".join(process.stderr.readline() for _ in range(3))
        assert f"http://127.0.0.1:{port}/" in said
        assert "not encrypted" in said
        client = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
        body = json.dumps({"name": "Mara Quill", "password": PASSWORD})
        for proto, secure in (("https", True), ("http", False)):
            headers = {"Content-Type": "application/json", "X-Forwarded-Proto": proto, "X-Forwarded-For": "192.0.2.7"}
            client.request("POST", "/api/session", body, headers)
            answer = client.getresponse()
            assert json.loads(answer.read())["encrypted"] is secure
            assert ("Secure" in answer.headers["Set-Cookie"]) is secure
        client.close()
    finally:
        process.terminate()
        process.wait(20)
        process.stderr.close()
    assert not (tmp_path / "data" / KEY).exists()
