"""The HTTP face: refusals with field and sentence, strangers kept out, everything that a person does."""

from __future__ import annotations

import ast
import json
import re
import shutil
import subprocess

import pytest
from fastapi.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from tests.api.conftest import refused
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.rig import Sensor
from tickstone.core.rigs.templates import rig_of
from tickstone.store import rigs
from tickstone.store.database import Database

RIG = "/api/rigs/fern"
RANGER = f"{RIG}/sensors/front-ranger"
RULER = f"{RANGER}/procedures/ruler"
PAIRS = [
    {"true_mm": mm, "reading": 2000 * (mm + 3) / 346 + e}
    for mm, e in ((150, 1), (250, -2), (400, 2), (600, -1), (900, 0.5))
]


@pytest.mark.parametrize(
    ("method", "address", "body", "status", "code", "path"),
    [
        ("POST", "/api/calc/echo-distance", {"echo_us": -1}, 422, "bad-input", "echo_us"),
        ("POST", "/api/calc/echo-distance", {}, 422, "bad-input", "echo_us"),
        ("POST", "/api/calc/no-such", {}, 404, "not-found", "calc"),
        ("GET", "/api/rigs/none", None, 404, "not-found", ""),
        ("GET", "/api/nothing", None, 404, "not-found", ""),
        ("GET", "/api/recordings/999", None, 404, "not-found", ""),
        ("GET", "/api/recordings/1/trace?sensor=front-ranger&t0=5&t1=2", None, 422, "bad-input", "t0"),
        ("GET", "/api/recordings/1/trace?sensor=front-ranger&width=1", None, 422, "bad-input", "width"),
        ("GET", "/api/recordings/1/trace?sensor=none", None, 404, "not-found", ""),
        ("POST", f"{RANGER}/worked", {"asked": {"echo": "nan"}}, 422, "bad-input", "asked.echo"),
        ("POST", f"{RANGER}/worked", {"asked": {"echo": -4}}, 422, "bad-input", "echo"),
        ("POST", f"{RANGER}/worked/inverse", {"wanted": 1e9}, 422, "bad-input", "wanted"),
        ("POST", "/api/kinds/sonar/worked", {}, 422, "bad-input", "kind"),
        ("POST", "/api/kinds/hall-switch/worked", {"constants": {"magnets": 0}}, 422, "bad-input", "magnets"),
        ("POST", "/api/kinds/hall-switch/worked", {"constants": {"colour": 1}}, 422, "bad-input", "colour"),
        ("POST", f"{RIG}/sensors/air/worked", {"asked": {"echo": 4}}, 422, "bad-input", "echo"),
        ("PUT", f"{RANGER}/constants/humidity", {"value": 140}, 422, "bad-input", "value"),
        ("PUT", f"{RANGER}/constants/humidity", {"value": "wet"}, 422, "bad-input", "value"),
        ("PUT", f"{RANGER}/constants/nothing", {"value": 1}, 422, "bad-input", "name"),
        ("POST", f"{RIG}/board", {"board": "none", "revision": 1}, 422, "bad-input", "board"),
        ("POST", f"{RIG}/board", {"board": "wide-3v3", "revision": 99}, 409, "conflict", "revision"),
        ("POST", f"{RIG}/record", {}, 409, "not-connected", ""),
        ("POST", f"{RIG}/stop", None, 409, "conflict", "recording"),
        ("POST", f"{RIG}/marks", {"label": "x"}, 409, "conflict", "recording"),
        ("POST", f"{RIG}/connect", {"kind": "stand-in"}, 404, "not-found", ""),
        ("POST", f"{RIG}/connect", {"kind": "serial", "path": "/dev/none-such"}, 422, "bad-input", "path"),
        (
            "POST",
            f"{RIG}/connect",
            {"kind": "serial", "path": "/dev/null", "baud": 7},
            422,
            "bad-input",
            "baud",
        ),
        ("POST", f"{RIG}/connect", {"kind": "tcp", "host": "127.0.0.1", "port": 0}, 422, "bad-input", "port"),
        ("POST", f"{RULER}/hold", {"key": "150", "truth": {"true_mm": -3}}, 422, "bad-input", "true_mm"),
        ("POST", f"{RULER}/hold", {"key": "nowhere"}, 422, "bad-input", "key"),
        ("POST", f"{RULER}/take", None, 409, "conflict", "key"),
        (
            "POST",
            f"{RULER}/notebook",
            {"rows": [{"true_mm": 150, "reading": 0}]},
            422,
            "bad-input",
            "reading",
        ),
        ("POST", f"{RULER}/accept", {}, 409, "conflict", "calibration"),
        ("POST", f"{RULER}/from-recording", {"recording_id": 999}, 404, "not-found", ""),
        ("GET", f"{RANGER}/procedures/dance", None, 404, "not-found", ""),
        (
            "POST",
            f"{RANGER}/decisions/obstacle",
            {"values": {"trip": 300, "clear": 200}},
            422,
            "bad-input",
            "trip",
        ),
        ("POST", f"{RANGER}/decisions/obstacle", {"values": {}}, 422, "bad-input", "choice"),
        ("POST", f"{RANGER}/decisions/obstacle", {"values": {"gap": 3}}, 422, "bad-input", "pick"),
        ("POST", f"{RANGER}/decisions/line", {"values": {"trip": 3}}, 422, "bad-input", "decision"),
        ("GET", f"{RANGER}/decisions/dance", None, 404, "not-found", ""),
        ("GET", f"{RANGER}/decisions/obstacle?from=999", None, 404, "not-found", ""),
        ("GET", f"{RANGER}/decisions/obstacle?pick=trip", None, 422, "bad-input", "pick"),
        ("GET", f"{RANGER}/decisions/obstacle?pick=gap:-1", None, 422, "bad-input", "gap"),
        ("GET", f"{RANGER}/decisions/obstacle?pick=trip:nan", None, 422, "bad-input", "pick"),
        ("GET", f"{RIG}/stones/9/compare", None, 404, "not-found", ""),
        ("POST", f"{RIG}/notes", {"text": ""}, 422, "bad-input", "text"),
        ("POST", "/api/rigs", {"title": "★"}, 422, "bad-input", "title"),
        ("POST", "/api/rigs", {"title": "Fern"}, 409, "conflict", "slug"),
        ("POST", "/api/rigs", {"title": "Rigs!"}, 422, "bad-input", "title"),
        ("PATCH", "/api/marks/999", {"label": "x"}, 404, "not-found", ""),
    ],
)
def test_refusals(
    client: TestClient, method: str, address: str, body, status: int, code: str, path: str
) -> None:
    answer = client.request(method, address, json=body)
    assert answer.status_code == status, answer.text
    refused(answer, code, path)


def test_nan_and_infinity_in_a_body_are_refused_and_not_echoed(client: TestClient) -> None:
    for bad in ("NaN", "Infinity", "1e999"):
        answer = client.put(
            f"{RANGER}/constants/height",
            content=f'{{"value": {bad}}}',
            headers={"Content-Type": "application/json"},
        )
        assert answer.status_code == 422
        refused(answer, "bad-input", "value")


@pytest.mark.parametrize(
    "headers",
    [
        {"Host": "evil.example"},
        {"Host": "127.0.0.1.evil.example:8420"},
        {"Origin": "http://evil.example"},
        {"Origin": "http://127.0.0.1:9999"},
        {"Origin": "null"},
    ],
)
def test_strangers_are_kept_out(client: TestClient, headers: dict) -> None:
    assert client.get("/api/rigs", headers=headers).status_code == 403
    assert client.post(f"{RIG}/record", json={}, headers=headers).status_code == 403
    with pytest.raises(WebSocketDisconnect), client.websocket_connect(f"{RIG}/live", headers=headers):
        pass


def test_our_own_pages_are_let_in(client: TestClient) -> None:
    own = {"Host": "localhost:8420", "Origin": "http://localhost:8420"}
    assert client.get("/api/rigs", headers=own).status_code == 200


def test_a_new_rig_is_wired_and_has_no_faults(client: TestClient) -> None:
    made = client.post(
        "/api/rigs", json={"title": "Second float", "purpose": "float in a tube", "board": "wide-3v3"}
    ).json()
    assert made["slug"] == "second-float"
    assert made["findings"] == []
    own = "/api/rigs/second-float"
    small = client.post(f"{own}/board", json={"revision": made["revision"], "board": "small-5v"}).json()
    assert [f["kind"] for f in small["findings"]] == ["level-too-low"]  # the divider is one too many now
    asked = {
        "kind": "level-too-low",
        "sensor": "ultrasonic-ranger",
        "pin": "echo",
        "revision": small["revision"],
    }
    assert client.post(f"{own}/fix", json=asked).json()["findings"] == []
    assert {rig["slug"] for rig in client.get("/api/rigs").json()} == {
        "fern",
        "heron",
        "plume",
        "second-float",
    }


def test_from_pairs_to_the_exported_constant(client: TestClient) -> None:
    client.post(f"{RULER}/notebook", json={"rows": PAIRS}).raise_for_status()
    draft = client.get(RULER).json()
    assert draft["can_accept"]
    assert draft["constants"][0]["name"] == "sound"
    assert draft["constants"][0]["value"] == pytest.approx(346, abs=1)
    client.post(f"{RULER}/accept", json={}).raise_for_status()
    found = client.get(f"{RANGER}/decisions/obstacle").json()
    assert found["drawing"]["parts_mm"]["braking"] == pytest.approx(100)
    client.post(
        f"{RANGER}/decisions/obstacle", json={"values": {"trip": 300, "clear": 350}}
    ).raise_for_status()
    assert client.post(f"{RIG}/stones", json={"why": "first */ \\ run\nsecond line"}).json()["id"] == 1
    header = client.get(f"{RIG}/stones/1/export/c")
    assert 'filename="fern_stone_1.h"' in header.headers["content-disposition"]
    line = next(line for line in header.text.splitlines() if "FRONT_RANGER_SOUND_M_PER_S" in line)
    assert re.search(
        r"= 34\d\.\d+f;  // sound ± [\d.]+ m/s, measured, ruler against echo, 5 held, \d{4}-\d\d-\d\d$", line
    )
    module = client.get(f"{RIG}/stones/1/export/python").text
    values = {node.targets[0].id: ast.literal_eval(node.value) for node in ast.parse(module).body}
    assert values["FRONT_RANGER_TRIP_MM"] == 300.0
    data = json.loads(client.get(f"{RIG}/stones/1/export/json").text)
    offset = data["constants"]["FRONT_RANGER_OFFSET_MM"]
    assert (offset["unit"], offset["provenance"]) == ("mm", "measured")
    assert offset["value"] == pytest.approx(values["FRONT_RANGER_OFFSET_MM"], rel=1e-6)
    assert all(c["date"] for c in data["constants"].values())
    assert client.get(f"{RIG}/stones/1/export/xml").status_code == 422
    kinds = {entry["kind"] for entry in client.get(f"{RIG}/entries").json()}
    assert {"recording", "calibration", "constant", "stone"} <= kinds


@pytest.mark.skipif(shutil.which("gcc") is None, reason="no C compiler here")
def test_the_c_header_compiles(client: TestClient, tmp_path) -> None:
    client.post(f"{RIG}/stones", json={"why": "a */ comment \\"}).raise_for_status()
    (tmp_path / "stone.h").write_text(client.get(f"{RIG}/stones/1/export/c").text)
    (tmp_path / "main.c").write_text(
        '#include "stone.h"\nint main(void) { return FRONT_RANGER_CONE_DEG > 100.0f; }\n'
    )
    done = subprocess.run(
        [
            "gcc",
            "-std=c99",
            "-Wall",
            "-Werror",
            "-Wno-unused-const-variable",
            "-o",
            str(tmp_path / "main"),
            str(tmp_path / "main.c"),
        ],
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr


def test_the_worked_line_follows_the_rigs_constants(client: TestClient) -> None:
    def work(echo: float, **more: object) -> dict:
        return (
            client.post(f"{RANGER}/worked", json={"asked": {"echo": echo}, **more}).raise_for_status().json()
        )

    def sound(worked: dict) -> float:
        return next(term["value"] for term in worked["terms"] if term["name"] == "sound")

    before = work(1748)
    assert before["value"] == pytest.approx(1748 * sound(before) / 2000)
    assert sum(s["share"] for s in before["shares"]) == pytest.approx(1)
    client.post(f"{RULER}/notebook", json={"rows": PAIRS}).raise_for_status()
    client.post(f"{RULER}/accept", json={}).raise_for_status()
    after = work(1748)
    assert after["value"] == pytest.approx(1748 * 346 / 2000 - 3, abs=1)
    assert after["plus_minus"] < before["plus_minus"]
    assert {share["label"] for share in after["shares"]} >= {"sound and offset", "jitter of this ranger"}
    back = client.post(f"{RANGER}/worked/inverse", json={"wanted": after["value"]}).json()
    assert back["asks"][0]["value"] == pytest.approx(1748, abs=0.01)
    assert sound(work(1748, air_c=30, live_air=True)) > sound(after) + 4
    none = work(0)
    assert (none["value"], none["reason"], none["rules"]) == (None, "dropout", [])


def test_a_count_is_asked_for_with_its_volts_and_an_echo_without(client: TestClient) -> None:
    def ask(address: str) -> dict:
        return client.post(address, json={}).raise_for_status().json()["asks"][0]

    assert ask(f"{RIG}/sensors/line-row/worked")["volts"] == pytest.approx(5 / 1024)
    assert ask("/api/kinds/triangulation-ranger/worked")["volts"] == pytest.approx(5 / 1024)
    assert ask(f"{RANGER}/worked")["volts"] is None


def test_a_loose_part_of_every_kind_is_worked_and_asked_backwards(client: TestClient) -> None:
    kinds = client.get("/api/kinds").json()
    assert len(kinds) >= 17
    for kind in kinds:
        address = f"/api/kinds/{kind['id']}/worked"
        worked = client.post(address, json={}).raise_for_status().json()
        assert worked["valid"], kind["id"]
        assert worked["terms"]
        assert worked["said"].endswith(".")
        wanted = worked["inverse"]["typical"]
        asked = client.post(f"{address}/inverse", json={"wanted": wanted}).raise_for_status().json()["asks"]
        again = client.post(address, json={"asked": {one["name"]: one["value"] for one in asked}}).json()
        assert again["value"] == pytest.approx(wanted, rel=0.04), kind["id"]


def test_a_rig_that_carries_every_kind_is_worked_with_its_own_board(
    client: TestClient, database: Database
) -> None:
    sensors = tuple(Sensor(f"part-{i}", kind, f"part {i}") for i, kind in enumerate(KINDS))
    with database.transaction() as session:
        made = rig_of("Every kind", "tow-path cargo trailer", "wide-3v3", sensors)
        rigs.new_rig(session, "every-kind", made, "First wiring")
    for sensor in sensors:
        own = f"/api/rigs/every-kind/sensors/{sensor.id}"
        worked = client.post(f"{own}/worked", json={}).raise_for_status().json()
        assert worked["terms"], sensor.kind
        constants = {one["name"]: one for one in worked["constants"]}
        if "bits" in constants:
            assert (constants["bits"]["value"], constants["reference"]["value"]) == converter_of(
                made, sensor.id
            )
        client.get(f"{own}/constants").raise_for_status()
        client.get("/api/rigs/every-kind/standing", params={"sensor": sensor.id}).raise_for_status()
    halls = sensors[list(KINDS).index("hall-switch")].id
    address = f"/api/rigs/every-kind/sensors/{halls}"
    client.put(f"{address}/constants/magnets", json={"value": 2}).raise_for_status()
    assert client.post(f"{address}/worked", json={"asked": {"period": 300_000}}).json()[
        "value"
    ] == pytest.approx(2.0)


def test_a_loose_parts_own_constants_count(client: TestClient) -> None:
    address = "/api/kinds/hall-switch/worked"
    asked = {"asked": {"period": 300_000}}
    one = client.post(address, json=asked).json()
    two = client.post(address, json={**asked, "constants": {"magnets": 2}}).json()
    assert two["value"] == pytest.approx(one["value"] / 2)
    assert next(c for c in two["constants"] if c["name"] == "magnets")["provenance"] == "chosen"


def test_recordings_are_renamed_put_away_and_brought_back(client: TestClient) -> None:
    first, *others = client.get(f"{RIG}/recordings").json()
    client.patch(f"/api/recordings/{first['id']}", json={"name": "Bench"}).raise_for_status()
    client.patch(f"/api/recordings/{first['id']}", json={"archived": True}).raise_for_status()
    assert client.get(f"{RIG}/recordings").json() == others
    client.patch(f"/api/recordings/{first['id']}", json={"archived": False}).raise_for_status()
    assert client.get(f"{RIG}/recordings").json()[0]["name"] == "Bench"


def test_health_is_honest_about_the_stand_in(client: TestClient) -> None:
    health = client.get("/api/health").json()
    assert health["disk_free"] > 0
    well = {"ok": True, "database": True, "standin": False, "demo": False, "unwell": [], "waiting": 0}
    assert {name: health[name] for name in well} == well


def test_recordings_are_trimmed_split_and_marked_in_seconds(client: TestClient) -> None:
    whole = client.get(f"{RIG}/recordings").json()[0]

    def opened(recording: int) -> dict:
        return client.get(f"/api/recordings/{recording}").raise_for_status().json()

    mark = {"t0_s": 1.25, "t1_s": 1.75, "label": "here"}
    client.post(f"/api/recordings/{whole['id']}/marks", json=mark).raise_for_status()
    (kept,) = (each for each in opened(whole["id"])["marks"] if each["label"] == "here")
    assert (kept["t0_s"], kept["t1_s"]) == (1.25, 1.75)
    client.patch(f"/api/marks/{kept['id']}", json={"t0_s": 1.5}).raise_for_status()
    span = {"t0_s": 1.0, "t1_s": 2.5}
    (middle,) = client.post(f"/api/recordings/{whole['id']}/trim", json=span).json()["made"]
    trimmed = opened(middle)
    assert trimmed["recording"]["duration_s"] == pytest.approx(1.5, abs=0.1)
    moved = [(each["t0_s"], each["t1_s"]) for each in trimmed["marks"] if each["label"] == "here"]
    assert moved == [(pytest.approx(0.5), pytest.approx(0.75))]
    parts = client.post(f"/api/recordings/{middle}/split", json={"t_s": 0.6}).json()["made"]
    lasting = [opened(each)["recording"]["duration_s"] for each in parts]
    assert lasting == [pytest.approx(0.6, abs=0.1), pytest.approx(0.9, abs=0.1)]
    (joined,) = client.post(f"{RIG}/recordings/join", json={"recordings": parts}).json()["made"]
    assert opened(joined)["recording"]["duration_s"] == pytest.approx(1.5, abs=0.1)


def test_an_exported_file_is_named_after_its_recording(client: TestClient) -> None:
    recording = client.get(f"{RIG}/recordings").json()[0]["id"]
    for name, file in (("Bench 2, wet!", "bench-2--wet"), ("äöü", "recording"), ("A.B", "a-b")):
        client.patch(f"/api/recordings/{recording}", json={"name": name}).raise_for_status()
        answer = client.get(f"/api/recordings/{recording}/export?form=csv")
        assert answer.headers["content-disposition"] == f'attachment; filename="fern-{recording}-{file}.csv"'


def test_the_plus_minus_is_of_95_percent(client: TestClient) -> None:
    constants = {each["name"]: each for each in client.get(f"{RANGER}/constants").json()}
    client.put(f"{RANGER}/constants/humidity", json={"value": 50, "plus_minus": 8}).raise_for_status()
    assert constants["humidity"]["plus_minus"] != 8
    now = {each["name"]: each for each in client.get(f"{RANGER}/constants").json()}
    assert now["humidity"]["plus_minus"] == pytest.approx(8)
    history = client.get(f"{RANGER}/constants/humidity/history").json()
    assert history[0]["plus_minus"] == pytest.approx(8)
    worked = client.post(f"{RANGER}/worked", json={"asked": {"echo": 1748}}).json()
    assert {t["name"]: t["plus_minus"] for t in worked["terms"]}["sound"] == pytest.approx(
        now["sound"]["plus_minus"], rel=0.05
    )
