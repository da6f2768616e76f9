"""What a browser is told, who may read what is written, and names that would reach farther than they may."""

from __future__ import annotations

import json
import stat
from pathlib import Path

import httpx
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from tests.api.conftest import refused
from tests.served import Served
from tickstone.store.database import Database

RIG = "/api/rigs/fern"
HIDDEN = "Fern \u202egnirts\u202c\u200b\x1b[31m */ int main() { }\u2028tail"


@pytest.mark.parametrize("address", ["/api/health", "/api/nothing", "/api/rigs/none", "/"])
def test_every_answer_says_what_a_browser_may_do(client: TestClient, address: str) -> None:
    said = client.get(address).headers
    policy = dict(rule.split(" ", 1) for rule in said["content-security-policy"].split("; "))
    assert policy["default-src"] == policy["frame-ancestors"] == policy["base-uri"] == "'none'"
    assert policy["script-src"] == policy["style-src"] == "'self'"
    assert said["x-content-type-options"] == "nosniff"
    assert said["referrer-policy"] == "no-referrer"
    assert "camera=()" in said["permissions-policy"]


def test_a_stranger_is_told_the_same(client: TestClient) -> None:
    answer = client.get("/api/health", headers={"origin": "http://elsewhere.example"})
    assert answer.status_code == 403
    assert answer.headers["x-frame-options"] == "DENY"


@pytest.mark.server
def test_what_is_written_is_for_its_owner_alone(data_folder: Path) -> None:
    folder = data_folder / "demo"
    folder.mkdir()
    (folder / "cluster.log").touch(mode=0o644)  # as it was made before this was so
    served = Served(data_folder, None)
    try:
        assert stat.S_IMODE(folder.stat().st_mode) in (0o700, 0o711)  # root lets the server's user through
        kept = [path for path in folder.iterdir() if path.name != "cluster"]
        assert {"tickstone.log", "cluster.log", "running.json"} <= {path.name for path in kept}
        open_to_others = [path.name for path in kept if path.is_file() and path.stat().st_mode & 0o077]
        assert open_to_others == ["running.lock"]  # empty, and made before all else
        assert stat.S_IMODE((folder / "cluster").stat().st_mode) == 0o700
    finally:
        served.stop()


def test_no_value_of_a_row_is_in_what_the_log_gets(database: Database) -> None:
    def ask() -> None:
        with database.transaction() as session:
            session.execute(text("SELECT :name FROM nowhere"), {"name": "a secret name"})

    with pytest.raises(SQLAlchemyError) as caught:
        ask()
    assert "nowhere" in str(caught.value)
    assert "secret" not in str(caught.value)


@pytest.mark.parametrize("language", ["cpp", "python"])
def test_hidden_signs_of_a_name_reach_neither_program_nor_file_name(
    client: TestClient, language: str
) -> None:
    rig = client.post("/api/rigs", json={"title": HIDDEN[:60], "board": "wide-3v3"}).json()
    program = client.get(f"/api/rigs/{rig['slug']}/program", params={"language": language}).json()
    comments = [line for line in program["text"].split("\n") if "gnirts" in line]
    assert comments
    for line in comments:
        assert line.startswith(("//", "#"))
        assert line.isprintable()
    assert program["name"].isascii()
    client.post(f"/api/rigs/{rig['slug']}/stones", json={"why": HIDDEN}).raise_for_status()
    for form in ("c", "python"):
        stone = client.get(f"/api/rigs/{rig['slug']}/stones/1/export/{form}")
        named = [line for line in stone.text.split("\n") if "main()" in line]
        assert all(line.startswith(("//", "#")) and line.isprintable() for line in named)
        assert named
        assert stone.headers["content-disposition"].isascii()


def test_what_a_program_calls_a_pin_is_a_plain_name(client: TestClient) -> None:
    document = client.get(f"{RIG}/document").json()
    document["board"]["pins"][0]["code"] = "9); wipe("
    answer = client.post("/api/rigs/from-file", json={"text": json.dumps(document), "title": "Other"})
    assert "wipe" in refused(answer, "bad-input", "board.pins")


def test_nobody_else_comes_in_unless_it_was_asked_for(client: TestClient, served: Served) -> None:
    assert client.get("/api/access").status_code == 403  # not from the machine itself
    state = httpx.get(f"{served.address}/api/access").raise_for_status().json()
    assert state == {"on": False, "addresses": [], "key": "", "fingerprint": "", "qr": [], "guests": []}
