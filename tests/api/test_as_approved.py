"""What the demo looks like over HTTP, as it was approved: everything that can be asked for and stands
still."""

from __future__ import annotations

import re

import pytest
from fastapi.testclient import TestClient

from tests import approved

FORMS = ("csv", "csv&converted=false", "json-lines", "value-change-dump")
TIME = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d[\d:.+Z]*|\d{4}-\d\d-\d\d")


def still(thing: object) -> object:
    """The same without the time at which the demo was made."""
    if isinstance(thing, dict):
        return {TIME.sub("a time", key): still(value) for key, value in thing.items()}
    if isinstance(thing, list):
        return [still(one) for one in thing]
    return TIME.sub("a time", thing) if isinstance(thing, str) else thing


def asked(client: TestClient, *addresses: str) -> dict[str, object]:
    """The answers, by address."""
    made = {}
    for address in addresses:
        answer = client.get(address)
        plain = answer.headers["content-type"].startswith("application/json")
        made[address] = still(answer.json() if plain else answer.text.splitlines())
    return made


@pytest.mark.parametrize("slug", ["fern", "heron", "plume"])
def test_a_rig(client: TestClient, slug: str) -> None:
    rig = f"/api/rigs/{slug}"
    client.post(f"{rig}/stones", json={"why": "as it stands"}).raise_for_status()
    pages = [f"{rig}/parts.csv", f"{rig}/recordings", f"{rig}/stones", f"{rig}/entries"]
    pages += [f"{rig}/stones/1/export/{form}" for form in ("json", "c", "python")]
    for sensor in client.get(rig).json()["sensors"]:
        part = f"{rig}/sensors/{sensor['id']}"
        pages += [f"{rig}/standing?sensor={sensor['id']}", f"{part}/constants", f"{part}/procedures"]
        pages += [f"{part}/decisions/{one['decision']}" for one in client.get(f"{part}/decisions").json()]
    approved.check(f"http-{slug}", asked(client, *pages))


def test_recordings(client: TestClient) -> None:
    made: dict[str, object] = {}
    for one in client.get("/api/rigs/fern/recordings").json():
        path = f"/api/recordings/{one['id']}"
        opened = client.get(path).json()
        show = "&".join(f"show={lane['id']}" for lane in opened["shown"][:6])
        pages = [path, f"{path}/findings", f"{path}/read-outs?{show}&t0=1&t1=3", f"{path}/moment?{show}&t=2"]
        pages += [f"{path}/lanes?{show}&width=200", f"{path}/lanes?{show}&width=400&t0=1&t1=2.5"]
        pages += [f"{path}/export?form={form}&t0=1&t1=1.2" for form in FORMS]
        made |= asked(client, *pages)
    approved.check("http-recordings", made)
