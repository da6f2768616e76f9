"""Rigs and their wiring over HTTP: every change is a revision that undo takes back, and a refusal changes
nothing."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.api.conftest import refused
from tickstone.core.rigs.templates import TEMPLATES, heron
from tickstone.formats.rig_json import rig_to_json

FERN = "/api/rigs/fern"


def rig(client: TestClient, address: str = FERN) -> dict[str, Any]:
    found: dict[str, Any] = client.get(address).raise_for_status().json()
    return found


def ask(client: TestClient, method: str, address: str, **body: Any) -> dict[str, Any]:
    found: dict[str, Any] = client.request(method, address, json=body).raise_for_status().json()
    return found


def wire(found: dict[str, Any], sensor: str, pin: str) -> dict[str, Any]:
    return next(w for w in found["rig"]["wires"] if (w["sensor"], w["pin"]) == (sensor, pin))


# The life of a rig ------------------------------------------------------------------------------------------


def test_every_template_opens_as_a_rig_at_every_station(client: TestClient) -> None:
    for name in TEMPLATES:
        made = ask(client, "POST", "/api/rigs", title=f"Bench {name}", template=name)
        assert [f["sentence"] for f in made["findings"] if f["severity"] == "fault"] == []
        own = f"/api/rigs/{made['slug']}"
        for sensor in made["sensors"]:
            client.get(f"{own}/sensors/{sensor['id']}/constants").raise_for_status()
            steps = client.get(f"{own}/standing", params={"sensor": sensor["id"]}).raise_for_status().json()
            assert len(steps) == 7
        assert client.get(f"{own}/checklist").raise_for_status().json()
        language = made["rig"]["board"]["programs"][0]
        assert client.get(f"{own}/program").raise_for_status().json()["language"] == language


def test_a_rig_is_duplicated_renamed_archived_and_brought_back(client: TestClient) -> None:
    second = ask(client, "POST", f"{FERN}/duplicate", title="Fern two")
    assert second["slug"] == "fern-two"
    assert second["rig"]["wires"] == rig(client)["rig"]["wires"]
    height = next(
        c
        for c in client.get("/api/rigs/fern-two/sensors/front-ranger/constants").json()
        if c["name"] == "height"
    )
    assert height["provenance"] == "assumed"  # what was measured on Fern stays with Fern
    renamed = ask(
        client, "POST", "/api/rigs/fern-two/rename", title="Fern spare", purpose="spare", revision=1
    )
    assert (renamed["slug"], renamed["rig"]["title"], renamed["rig"]["purpose"]) == (
        "fern-two",
        "Fern spare",
        "spare",
    )
    ask(client, "POST", "/api/rigs/fern-two/archive")
    assert "fern-two" not in {one["slug"] for one in client.get("/api/rigs").json()}
    assert [one["slug"] for one in client.get("/api/rigs", params={"archived": True}).json()] == ["fern-two"]
    ask(client, "POST", "/api/rigs/fern-two/bring-back")
    assert "fern-two" in {one["slug"] for one in client.get("/api/rigs").json()}
    refused(client.post("/api/rigs/fern-two/bring-back"), "conflict", "slug")


def test_a_rig_file_goes_out_and_comes_in_again(client: TestClient) -> None:
    text = client.get(f"{FERN}/document").raise_for_status().text
    made = ask(client, "POST", "/api/rigs/from-file", text=text, title="Fern again")
    assert made["rig"] | {"title": "Fern"} == json.loads(text)
    before = client.get("/api/rigs").json()
    for bad, path in ((text[:900], "rig"), (text.replace('"schema": 2', '"schema": 7'), "schema")):
        refused(client.post("/api/rigs/from-file", json={"text": bad, "title": "Broken"}), "bad-input", path)
    refused(client.post("/api/rigs/from-file", json={"text": rig_to_json(heron())}), "conflict", "slug")
    assert client.get("/api/rigs").json() == before


# Parts ------------------------------------------------------------------------------------------------------


def test_a_part_is_fitted_wired_renamed_asked_about_taken_off_and_back_by_undo(client: TestClient) -> None:
    made = ask(client, "POST", f"{FERN}/parts", kind="rotary-encoder", name="roller", options={}, revision=1)
    assert wire(made, "roller", "a")["to"] == "int 2"
    assert wire(made, "roller", "b")["pull_up"]["ohms"] == 10_000
    changed = ask(
        client, "PUT", f"{FERN}/parts/roller", name="ruler wheel", options={"pull_up": "module"}, revision=2
    )
    part = next(p for p in changed["parts"] if p["id"] == "roller")
    assert (part["name"], part["options"]) == ("ruler wheel", {"pull_up": "module"})
    assert wire(changed, "roller", "b")["pull_up"] is None  # the module has its own
    client.put(f"{FERN}/sensors/roller/constants/steps", json={"value": 96}).raise_for_status()
    off = ask(client, "POST", f"{FERN}/parts/roller/take-off", revision=3)
    assert "roller" not in {p["id"] for p in off["parts"]}
    back = ask(client, "POST", f"{FERN}/undo", revision=4)
    assert "roller" in {p["id"] for p in back["parts"]}
    steps = {c["name"]: c for c in client.get(f"{FERN}/sensors/roller/constants").json()}["steps"]
    assert (steps["value"], steps["provenance"]) == (96, "chosen")
    again = ask(
        client,
        "POST",
        f"{FERN}/parts",
        kind="hall-switch",
        name="roller",
        options={},
        revision=back["revision"],
    )
    assert "roller-2" in {p["id"] for p in again["parts"]}  # an id is for ever


def test_fewer_sensors_in_a_row_let_their_wires_go(client: TestClient) -> None:
    row = next(p for p in rig(client)["parts"] if p["id"] == "line-row")
    made = ask(
        client,
        "PUT",
        f"{FERN}/parts/line-row",
        name="line row",
        options=row["options"] | {"count": 3},
        revision=1,
    )
    assert [w["pin"] for w in made["rig"]["wires"] if w["sensor"] == "line-row"][2:] == [
        "output 1",
        "output 2",
        "output 3",
    ]
    constants = {c["name"]: c for c in client.get(f"{FERN}/sensors/line-row/constants").json()}
    assert constants["sensors"]["value"] == 3
    more = ask(client, "PUT", f"{FERN}/parts/line-row", name="line row", options=row["options"], revision=2)
    assert wire(more, "line-row", "output 5")["to"].startswith("analogue")


def test_outputs_are_fitted_too_and_a_converter_gives_inputs(client: TestClient) -> None:
    made = ask(client, "POST", f"{FERN}/parts", kind="i2c-adc", name="adc", options={}, revision=1)
    assert [p["name"] for p in made["pins"]][-4:] == ["adc 1", "adc 2", "adc 3", "adc 4"]
    moved = ask(client, "POST", f"{FERN}/wire", sensor="battery-gauge", pin="middle", to="adc 2", revision=2)
    assert wire(moved, "battery-gauge", "middle")["fixed"]
    constants = {c["name"]: c for c in client.get(f"{FERN}/sensors/battery-gauge/constants").json()}
    assert constants["reference"]["value"] == 4.096
    renamed = ask(client, "PUT", f"{FERN}/parts/adc", name="converter", options={}, revision=3)
    assert wire(renamed, "battery-gauge", "middle")["to"] == "converter 2"
    off = ask(client, "POST", f"{FERN}/parts/adc/take-off", revision=4)
    assert wire(off, "battery-gauge", "middle")["to"] == ""
    assert "unwired" in {f["kind"] for f in off["findings"]}


# Board, supplies, places, wires -----------------------------------------------------------------------------


def test_ones_own_board_is_edited_and_wires_of_a_pin_that_is_gone_find_another(client: TestClient) -> None:
    board = rig(client)["rig"]["board"]
    board["title"] = "the old board"
    board["pins"] = [p | {"name": "D2"} if p["name"] == "int 1" else p for p in board["pins"]]
    made = ask(client, "PUT", f"{FERN}/board", board=board, revision=1)
    assert (made["rig"]["board"]["kind"], made["rig"]["board"]["title"]) == ("own", "the old board")
    assert wire(made, "wheel", "output")["to"] in ("D2", "int 2")
    assert wire(made, "front-ranger", "echo")["to"] == wire(rig(client), "front-ranger", "echo")["to"]
    assert [f for f in made["findings"] if f["severity"] == "fault"] == []
    where = wire(made, "wheel", "output")["to"]
    board["pins"] = [p | {"name": "INT"} if p["name"] == where else p for p in board["pins"]]
    made = ask(client, "PUT", f"{FERN}/board", board=board, renamed={where: "INT"}, revision=2)
    assert wire(made, "wheel", "output")["to"] == "INT"  # it goes along
    board["pins"][0]["abilities"] = ["digital", "telepathy"]
    message = refused(
        client.put(f"{FERN}/board", json={"board": board, "revision": 3}), "bad-input", "board.pins"
    )
    assert "telepathy" in message
    assert rig(client)["revision"] == 3


def test_supplies_and_places_are_changed_and_judged(client: TestClient) -> None:
    none = ask(client, "PUT", f"{FERN}/supplies", supplies=[], board_from="USB", revision=1)
    faults = [f for f in none["findings"] if f["severity"] == "fault"]
    assert {f["kind"] for f in faults} == {"supply"}
    assert len(faults) == 2  # the battery gauge's and the motors'
    back = ask(client, "POST", f"{FERN}/undo", revision=2)
    geometry = back["rig"]["geometry"] | {"line_mm": 8.0}
    mounts = {"front-ranger": {"x_mm": 240, "y_mm": 0, "height_mm": 500, "heading_deg": 0}}
    made = ask(client, "PUT", f"{FERN}/geometry", geometry=geometry, mounts=mounts, revision=1)
    kinds = {f["kind"] for f in made["findings"]}
    assert "line-width" in kinds
    assert "floor-strike" in kinds  # the height by ruler, 118 mm, counts before the plan's 500
    answer = client.put(
        f"{FERN}/geometry", json={"geometry": geometry | {"wheel_mm": -1}, "mounts": {}, "revision": 3}
    )
    refused(answer, "bad-input", "geometry.wheel_mm")


def test_a_wire_is_moved_kept_when_pins_are_assigned_anew_and_let_go_when_asked(client: TestClient) -> None:
    ask(client, "POST", f"{FERN}/wire", sensor="wheel", pin="output", to="int 2", revision=1)
    kept = client.post(f"{FERN}/assign", json={"revision": 2, "keep": True})
    refused(kept, "bad-input", "wires")  # everything is where it would be put
    free = ask(client, "POST", f"{FERN}/assign", revision=2, keep=False)
    assert wire(free, "wheel", "output")["to"] == "int 1"
    refused(
        client.post(f"{FERN}/wire", json={"sensor": "wheel", "pin": "output", "to": "moon", "revision": 3}),
        "bad-input",
        "to",
    )


def test_an_assignment_that_cannot_be_is_refused_with_the_reason(client: TestClient) -> None:
    ask(client, "POST", f"{FERN}/parts/wheels/take-off", revision=1)
    for i in range(2):
        ask(
            client,
            "POST",
            f"{FERN}/parts",
            kind="hall-switch",
            name=f"wheel {i + 2}",
            options={},
            revision=i + 2,
        )
    message = refused(client.post(f"{FERN}/assign", json={"revision": 4, "keep": True}), "bad-input", "wires")
    assert "Three wires need an interrupt pin" in message
    assert "dual-core" in message


def test_a_change_to_an_older_revision_is_refused(client: TestClient) -> None:
    ask(client, "POST", f"{FERN}/wire", sensor="wheel", pin="output", to="int 2", revision=1)
    for method, address, body in (
        ("POST", "parts", {"kind": "led", "name": "", "options": {}}),
        ("PUT", "supplies", {"supplies": [], "board_from": "USB"}),
        ("POST", "rename", {"title": "Other", "purpose": ""}),
    ):
        answer = client.request(method, f"{FERN}/{address}", json=body | {"revision": 1})
        assert "Somebody changed this rig first" in refused(answer, "conflict", "revision")


@pytest.mark.parametrize(
    ("method", "address", "body", "path"),
    [
        ("POST", "parts", {"kind": "sonar", "name": "", "options": {}}, "kind"),
        ("POST", "parts", {"kind": "line-sensors", "name": "", "options": {"count": 12}}, "options.count"),
        ("PUT", "parts/wheel", {"name": "air", "options": {}}, "name"),
        ("PUT", "parts/wheel", {"name": "  ", "options": {}}, "name"),
        ("PUT", "parts/moon", {"name": "moon", "options": {}}, "sensor"),
        ("POST", "parts/moon/take-off", {}, "sensor"),
        ("POST", "board", {"board": "none"}, "board"),
        ("PUT", "supplies", {"supplies": [], "board_from": "the wall"}, "board_from"),
        ("POST", "fix", {"kind": "supply", "sensor": "wheel", "pin": "supply"}, "kind"),
    ],
)
def test_a_refused_change_names_its_field_and_changes_nothing(
    client: TestClient, method: str, address: str, body: dict[str, Any], path: str
) -> None:
    before = rig(client)
    refused(client.request(method, f"{FERN}/{address}", json=body | {"revision": 1}), "bad-input", path)
    assert rig(client) == before


def test_the_last_sensor_stays(client: TestClient) -> None:
    made = ask(client, "POST", "/api/rigs", title="Bench T04", template="T04")
    answer = client.post(f"/api/rigs/{made['slug']}/parts/line/take-off", json={"revision": 1})
    assert "one sensor at least" in refused(answer, "bad-input", "sensor")


# What one builds from ---------------------------------------------------------------------------------------


def test_schedule_and_parts_come_as_json_and_csv(client: TestClient) -> None:
    found = client.get(f"{FERN}/schedule").raise_for_status().json()
    for table, rows in (("schedule", found["wires"]), ("parts", found["parts"])):
        answer = client.get(f"{FERN}/{table}.csv").raise_for_status()
        lines = list(csv.reader(io.StringIO(answer.text)))
        assert len(lines) == len(rows) + 1
        assert f"fern-{table}.csv" in answer.headers["content-disposition"]
    client.put(
        f"{FERN}/parts/wheel", json={"name": "=1+1", "options": {"magnets": 2}, "revision": 1}
    ).raise_for_status()
    assert "'=1+1" in client.get(f"{FERN}/schedule.csv").text  # no spreadsheet takes it for a formula


def test_ticks_are_kept_with_their_date_until_the_wiring_changes(client: TestClient) -> None:
    def steps() -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = client.get(f"{FERN}/checklist").raise_for_status().json()
        return found

    mine = next(s for s in steps() if s["text"].startswith("wheel output to"))
    ask(client, "PUT", f"{FERN}/checklist/{mine['id']}", ticked=True)
    assert next(s for s in steps() if s["id"] == mine["id"])["ticked_at"]
    other = next(s for s in steps() if s["second"])
    refused(client.put(f"{FERN}/checklist/{other['id']}", json={"ticked": True}), "bad-input", "by")
    ask(client, "PUT", f"{FERN}/checklist/{other['id']}", ticked=True, by="the neighbour")
    assert next(s for s in steps() if s["second"])["by"] == "the neighbour"
    ask(client, "POST", f"{FERN}/wire", sensor="wheel", pin="output", to="int 2", revision=1)
    moved = next(s for s in steps() if s["text"].startswith("wheel output to"))
    assert (moved["id"] != mine["id"], moved["ticked_at"]) == (True, None)
    refused(client.put(f"{FERN}/checklist/{mine['id']}", json={"ticked": True}), "not-found", "")
    ask(client, "POST", f"{FERN}/undo", revision=2)
    assert next(s for s in steps() if s["id"] == mine["id"])["ticked_at"]
    ask(client, "PUT", f"{FERN}/checklist/{mine['id']}", ticked=False)
    assert next(s for s in steps() if s["id"] == mine["id"])["ticked_at"] is None


def test_a_board_runs_only_its_own_languages(client: TestClient) -> None:
    refused(client.get(f"{FERN}/program", params={"language": "python"}), "bad-input", "language")
    found = client.get("/api/rigs/heron/program", params={"language": "python"}).json()
    assert found["name"] == "heron_watch.py"
    assert found["languages"] == ["cpp", "python"]


def test_wires_that_a_person_put_stay_when_another_pin_of_the_board_goes(client: TestClient) -> None:
    rig = client.get("/api/rigs/fern").json()
    board = {**rig["rig"]["board"]}
    echo = next(
        wire for wire in rig["rig"]["wires"] if (wire["sensor"], wire["pin"]) == ("front-ranger", "echo")
    )
    places = next(
        pin["places"]
        for part in rig["parts"]
        if part["id"] == "front-ranger"
        for pin in part["pins"]
        if pin["name"] == "echo"
    )
    used = {wire["to"] for wire in rig["rig"]["wires"]}
    free = [place for place in places if place not in used]
    body = {"sensor": "front-ranger", "pin": "echo", "to": free[-1], "revision": rig["revision"]}
    rig = client.post("/api/rigs/fern/wire", json=body).raise_for_status().json()
    gone = next(wire for wire in rig["rig"]["wires"] if (wire["sensor"], wire["pin"]) == ("wheel", "output"))[
        "to"
    ]
    board["pins"] = [pin for pin in rig["rig"]["board"]["pins"] if pin["name"] != gone]
    body = {"board": board, "revision": rig["revision"]}
    changed = client.put("/api/rigs/fern/board", json=body).raise_for_status().json()
    before = {(wire["sensor"], wire["pin"]): wire["to"] for wire in rig["rig"]["wires"]}
    after = {(wire["sensor"], wire["pin"]): wire["to"] for wire in changed["rig"]["wires"]}
    assert after["front-ranger", "echo"] == free[-1] != echo["to"]
    assert {end for end in before if before[end] != after[end]} == {("wheel", "output")}


def test_what_sits_in_a_wire_says_why_and_is_taken_out_where_the_bench_has_none(client: TestClient) -> None:
    made = client.post(
        "/api/rigs", json={"title": "Mine", "first": "ultrasonic-ranger", "board": "small-3v3"}
    )
    rig = made.raise_for_status().json()
    (part,) = [each for each in rig["in_wires"] if each["what"] == "divider"]
    assert (part["sensor"], part["pin"]) == ("ultrasonic-ranger", "echo")
    assert part["because"] == "5.0 V into pins that bear 3.6 V"
    assert "in line" in part["words"]
    asked = {"sensor": part["sensor"], "pin": part["pin"], "what": "divider", "revision": rig["revision"]}
    bare = client.post(f"/api/rigs/{rig['slug']}/wire/remove-part", json=asked).raise_for_status().json()
    assert not bare["in_wires"]
    assert [f["kind"] for f in bare["findings"] if f["severity"] == "fault"] == ["level-too-high"]
    late = client.post(f"/api/rigs/{rig['slug']}/wire/remove-part", json=asked)
    assert late.status_code == 409
    back = client.post(f"/api/rigs/{rig['slug']}/undo", json={"revision": bare["revision"]})
    assert back.raise_for_status().json()["in_wires"] == rig["in_wires"]
    lamp = client.post("/api/rigs", json={"title": "Lamp", "template": "T02"}).raise_for_status().json()
    reasons = {each["what"]: each["because"] for each in lamp["in_wires"]}
    assert reasons["series"] == "it keeps the current of lamp small enough for both"
    assert reasons["pull_up"] == "output only pulls low: something must bring it high again"


def test_a_wire_is_ticked_as_in_until_it_goes_elsewhere(client: TestClient) -> None:
    address = "/api/rigs/heron"
    line = client.get(f"{address}/schedule").raise_for_status().json()["wires"][0]
    assert line["ticked_at"] is None
    client.put(f"{address}/schedule/{line['id']}", json={"ticked": True}).raise_for_status()
    wires = client.get(f"{address}/schedule").raise_for_status().json()["wires"]
    assert [wire["id"] for wire in wires if wire["ticked_at"]] == [line["id"]]
    client.put(f"{address}/schedule/{line['id']}", json={"ticked": False}).raise_for_status()
    assert not any(w["ticked_at"] for w in client.get(f"{address}/schedule").json()["wires"])
    signal = next(w for w in wires if w["sensor"] == "wheel" and w["pin"] == "output")
    client.put(f"{address}/schedule/{signal['id']}", json={"ticked": True}).raise_for_status()
    free = next(p["name"] for p in client.get(address).json()["pins"] if "digital" in p["abilities"])
    asked = {
        "sensor": "wheel",
        "pin": "output",
        "to": free,
        "revision": client.get(address).json()["revision"],
    }
    client.post(f"{address}/wire", json=asked).raise_for_status()
    moved = client.get(f"{address}/schedule").raise_for_status().json()["wires"]
    assert not any(wire["ticked_at"] for wire in moved)  # the wire on the bench is not that one
    gone = client.put(f"{address}/schedule/{signal['id']}", json={"ticked": True})
    assert gone.status_code == 404
