"""People by the command line, and what `serve --network` asks for before it starts."""

import http.client
import json
import ssl
import subprocess
import sys

import pytest
import trustme

from tests.web.test_serving import free_port
from ylemorph.cli import main

PASSWORD = "four plain words here"


@pytest.fixture
def people(tmp_path, capsys):
    secret = tmp_path / "password"
    secret.write_text(PASSWORD + "\n")

    def run(*given):
        more = ["--password-file", str(secret)] if given[0] in ("add", "password") else []
        status = main(["people", *given, *more, "--data", str(tmp_path / "data")])
        said = capsys.readouterr()
        return status, said.out + said.err

    return run


def test_people_come_and_go(people):
    assert people("add", "Mara Quill", "--role", "workshop") == (0, "Mara Quill may sign in as workshop.\n")
    assert people("add", "Odd Lund") == (0, "Odd Lund may sign in as bench.\n")
    assert people("list") == (0, "workshop  Mara Quill\nbench     Odd Lund\n")
    assert people("role", "odd lund", "look") == (0, "odd lund is look now.\n")
    assert people("password", "Odd Lund")[0] == 0
    assert people("remove", "Odd Lund")[0] == 0
    status, said = people("remove", "Mara Quill")
    assert (status, "last one of the role workshop" in said) == (2, True)
    status, said = people("remove", "Nobody")
    assert (status, "there is no “Nobody”" in said) == (2, True)


def refused(tmp_path, *given):
    command = [sys.executable, "-m", "ylemorph", "serve", "--port", str(free_port()), "--data", str(tmp_path / "data")]
    ran = subprocess.run([*command, *given], capture_output=True, text=True, timeout=60, check=False)
    assert ran.returncode == 2
    assert ran.stderr.count("\n") == 1
    return ran.stderr


def test_a_network_without_people_is_refused(tmp_path):
    assert "ylemorph people add NAME --role workshop" in refused(tmp_path, "--network")
    assert "add --network" in refused(tmp_path, "--name", "workshop.local")


def test_certificates_that_cannot_be_used(tmp_path, people):
    people("add", "Mara Quill", "--role", "workshop")
    (tmp_path / "wrong.pem").write_text("x")
    wrong = str(tmp_path / "wrong.pem")
    assert "belong together" in refused(tmp_path, "--network", "--certificate", wrong)
    assert "cannot be used" in refused(tmp_path, "--network", "--certificate", wrong, "--key", wrong)
    assert "cannot be used" in refused(tmp_path, "--network", "--certificate", "/nowhere", "--key", wrong)


def test_an_encrypted_network(tmp_path, people):
    people("add", "Mara Quill", "--role", "workshop")
    authority = trustme.CA()
    made = authority.issue_cert("127.0.0.1")
    made.cert_chain_pems[0].write_to_path(tmp_path / "certificate.pem")
    made.private_key_pem.write_to_path(tmp_path / "key.pem")
    port = free_port()
    command = [
        sys.executable, "-m", "ylemorph", "serve", "--network", "--host", "127.0.0.1", "--port", str(port), "--data",
        str(tmp_path / "data"), "--certificate", str(tmp_path / "certificate.pem"), "--key", str(tmp_path / "key.pem"),
    ]  # fmt: skip
    server = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
    try:
        assert f"https://127.0.0.1:{port}/" in server.stderr.readline()
        context = ssl.create_default_context()
        authority.configure_trust(context)
        client = http.client.HTTPSConnection("127.0.0.1", port, context=context, timeout=20)
        body = json.dumps({"name": "Mara Quill", "password": PASSWORD})
        client.request("POST", "/api/session", body, {"Content-Type": "application/json"})
        answer = client.getresponse()
        assert json.loads(answer.read())["encrypted"] is True
        assert "Secure" in answer.headers["Set-Cookie"]
        cookie = answer.headers["Set-Cookie"].split(";")[0]
        for _ in range(3):  # on one connection
            client.request("GET", "/api/jobs", headers={"Cookie": cookie})
            answer = client.getresponse()
            assert (answer.status, json.loads(answer.read())) == (200, {"jobs": [], "next": None})
        client.close()
    finally:
        server.terminate()
        server.wait(20)
        server.stderr.close()
