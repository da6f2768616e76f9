"""Requests made from the API's own schema, with what is really there in them (rigs, sensors, recordings), at
a real server, four at a time: whatever is asked, no answer is an error of the server.

A short run belongs to the tests; an hour of it by hand: ``TICK_STONE_FUZZ=200000 ./tick-stone test
tests/api/test_fuzz.py``, with ``TICK_STONE_FUZZ_SEED`` for other requests."""

from __future__ import annotations

import json
import os
import random
from collections import defaultdict
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote

import httpx
import pytest

from tests.served import Served
from tickstone.launch import checks

pytestmark = [pytest.mark.server, pytest.mark.slow]

REQUESTS = int(os.environ.get("TICK_STONE_FUZZ", "1200"))
SEED = int(os.environ.get("TICK_STONE_FUZZ_SEED", "20"))
AT_ONCE = 4
LONGEST_RUN_S = 5.0  # of a simulated run, which is worked out in the answer
ODD_TEXTS = ["", " ", "0", "nobody", "\u202ex", "a" * 300, "..", "%00", "null", "☃"]
WORDS = ["mark", "front-ranger", "echo", "t_us", "near the door", "int 1", "2 wheels"]
ODD_NUMBERS = [0, -1, 1, 0.5, 1e308, -1e308, 5e-324, 2**31, 2**63, -(2**63), 1e9, 1e-9]
BEGIN = ("/api/rigs", "/api/rigs/fern", "/api/rigs/fern/recordings", "/api/recordings/1", "/api/worlds")
Schema = dict[str, Any]
# Which of the things that are there may stand for a name of the schema.
SAME = {
    "recording_id": "recording",
    "before": "recording",
    "mark_id": "mark",
    "calibration_id": "calibration",
    "file_id": "file",
    "stone": "number",
    "upto": "id",
    "part": "sensor",
    "rig": "slug",
    "key": "sensor",
    "to": "pin",
    "seen": "id",
}
CSV = b"t_us,echo_us,air_c,mark\n0,1748,20,\n50000,1750,,near\n"
FILES = [CSV, b"", b"\0" * 500, b"PAR1" + b"\1" * 60, b"1\n2\n3\n", b"$timescale 1us $end\n", b"\xff\xfe;;\n"]


@dataclass
class Operation:
    """A method and a path, and the schemas of its parameters and its body."""

    method: str
    path: str
    parameters: list[tuple[str, str, Schema]]
    body: Schema | None
    takes_file: bool


def operations(schema: Schema) -> list[Operation]:
    """Everything that the API can be asked."""
    results = []
    for path, methods in schema["paths"].items():
        for method, operation in methods.items():
            contents = operation.get("requestBody", {}).get("content", {})
            body = contents.get("application/json", {}).get("schema")
            parameters = [
                (each["in"], each["name"], each["schema"]) for each in operation.get("parameters", [])
            ]
            results.append(Operation(method.upper(), path, parameters, body, bool(contents) and body is None))
    return results


class Maker:
    """Makes values of a schema (JSON Schema 2020-12, as far as the API's own goes), and odd ones now and
    then."""

    def __init__(self, components: Schema, chance: random.Random) -> None:
        self._components, self._chance = components, chance

    def made(self, schema: Schema, depth: int = 0) -> Any:
        """A value of a schema."""
        chance = self._chance
        if "$ref" in schema:
            return self.made(self._components[schema["$ref"].rpartition("/")[2]], depth)
        for name in ("anyOf", "oneOf"):
            if name in schema:
                return self.made(chance.choice(schema[name]), depth)
        if "const" in schema:
            return schema["const"]
        if "enum" in schema:
            return chance.choice(schema["enum"])
        if chance.random() < 0.02:
            return chance.choice([None, [], {}, True, *ODD_TEXTS, *ODD_NUMBERS])
        make = getattr(self, f"_{schema.get('type', 'string')}")
        return make(schema, depth)

    def _object(self, schema: Schema, depth: int) -> dict[str, Any]:
        chance, needed = self._chance, schema.get("required", [])
        result = {
            name: self.made(inner, depth + 1)
            for name, inner in schema.get("properties", {}).items()
            if name in needed or chance.random() < 0.5 / (1 + depth)
        }
        if isinstance(more := schema.get("additionalProperties"), dict):
            names = schema.get("propertyNames", {"type": "string"})
            result |= {
                str(self.made(names, depth + 1)): self.made(more, depth + 1)
                for _ in range(chance.randint(0, 2))
            }
        return result

    def _array(self, schema: Schema, depth: int) -> list[Any]:
        if "prefixItems" in schema:
            return [self.made(inner, depth + 1) for inner in schema["prefixItems"]]
        least = schema.get("minItems", 0)
        count = self._chance.randint(least, min(schema.get("maxItems", least + 4), least + 4))
        return [self.made(schema.get("items", {}), depth + 1) for _ in range(count)]

    def _string(self, schema: Schema, _: int) -> str:
        if schema.get("format") == "date-time":
            return "2020-02-30T25:00:00Z" if self._chance.random() < 0.2 else "2020-02-03T04:05:06Z"
        word = self._chance.choice([*WORDS, *ODD_TEXTS])
        return word[: schema.get("maxLength", 300)] or "x" * schema.get("minLength", 0)

    def _number(self, schema: Schema, _: int) -> float:
        low = schema.get("minimum", schema.get("exclusiveMinimum", -1000))
        high = schema.get("maximum", schema.get("exclusiveMaximum", max(1000, low * 2)))
        return self._chance.choice([self._chance.uniform(low, high), low, high])

    def _integer(self, schema: Schema, depth: int) -> int:
        return int(self._number(schema, depth))

    def _boolean(self, _: Schema, __: int) -> bool:
        return self._chance.random() < 0.5

    def _null(self, _: Schema, __: int) -> None:
        return None


@dataclass
class Bench:
    """What is there, learned from the answers: by the name under which it was told."""

    known: dict[str, list[Any]] = field(default_factory=lambda: defaultdict(list))

    def learn(self, answer: Any, within: str = "") -> None:
        """Remember ids, slugs, names and the like of an answer."""
        if isinstance(answer, list):
            for item in answer[:50]:
                self.learn(item, within)
        elif isinstance(answer, dict):
            for name, value in answer.items():
                if isinstance(value, dict | list):
                    self.learn(value, name.removesuffix("s"))
                elif isinstance(value, str | int | float) and value != "":
                    for key in (name, within if name in ("id", "key", "name") else ""):
                        if key and value not in (pool := self.known[key]):
                            pool.append(value)
                            del pool[:-200]

    def there(self, name: str, chance: random.Random) -> Any:
        """Something that is there by this name, or None."""
        pool = self.known.get(SAME.get(name, name)) or self.known.get(name)
        return chance.choice(pool) if pool else None

    def mixed(self, value: Any, name: str, chance: random.Random) -> Any:
        """A value with what is there in it, and with something odd now and then."""
        if isinstance(value, dict):
            return {key: self.mixed(item, key, chance) for key, item in value.items()}
        if isinstance(value, list):
            return [self.mixed(item, name, chance) for item in value[:20]]
        if name in ("seconds", "duration_s"):
            return chance.uniform(0.1, LONGEST_RUN_S)
        if name == "host":
            return chance.choice(["127.0.0.1", "", "..", "a" * 64, "localhost"])
        there = self.there(name, chance)
        if there is not None and chance.random() < 0.7:
            return there
        if isinstance(value, bool) or chance.random() > 0.08:
            return value
        if isinstance(value, int | float):
            return chance.choice(ODD_NUMBERS)
        return chance.choice(ODD_TEXTS) if isinstance(value, str) else value


@dataclass
class Asked:
    """A request as it goes out."""

    method: str
    url: str
    query: dict[str, Any]
    content: bytes


def asked(operation: Operation, maker: Maker, bench: Bench, chance: random.Random) -> Asked:
    """An operation with its blanks filled."""
    path, query = operation.path, {}
    for place, name, schema in operation.parameters:
        value = bench.there(name, chance) if chance.random() < 0.9 else None
        if value is None:
            value = bench.mixed(maker.made(schema), name, chance)
        if place == "path":
            path = path.replace(f"{{{name}}}", quote(str(value), safe=""))
        elif value is not None and chance.random() < 0.7:
            query[name] = value
    if operation.takes_file:
        return Asked(operation.method, path, query, chance.choice(FILES))
    if operation.body is None:
        return Asked(operation.method, path, query, b"")
    body = bench.mixed(maker.made(operation.body), "", chance)
    return Asked(operation.method, path, query, json.dumps(body).encode())


def test_no_answer_is_an_error_of_the_server(served: Served) -> None:
    schema: Schema = checks.schema_of_app()
    bench, chance = Bench(), random.Random(SEED)
    maker, every = Maker(schema["components"]["schemas"], chance), operations(schema)
    wrong: list[str] = []
    good = 0
    limits = httpx.Limits(max_keepalive_connections=0)
    client = httpx.Client(base_url=served.address, timeout=120, limits=limits)

    def ask(request: Asked) -> None:
        nonlocal good
        answer = client.request(
            request.method, request.url, params=request.query, content=request.content or None
        )
        if answer.status_code >= 500:
            wrong.append(f"{request} → {answer.status_code} {answer.text[:300]}")
        elif answer.status_code < 400:
            good += 1
            if answer.headers.get("content-type") == "application/json":
                bench.learn(answer.json())

    for path in BEGIN:
        ask(Asked("GET", path, {}, b""))
    with ThreadPoolExecutor(AT_ONCE) as windows:
        waiting: list[Future[None]] = []
        for _ in range(REQUESTS):
            waiting.append(windows.submit(ask, asked(chance.choice(every), maker, bench, chance)))
            if len(waiting) > AT_ONCE:
                waiting.pop(0).result()
        for each in waiting:
            each.result()
    assert wrong == []
    assert good > REQUESTS / 8, "most of it was refused: nothing is tried"
    assert client.get("/api/health").json()["unwell"] == []
    log = (served.folder / "demo" / "tickstone.log").read_text()
    assert "Traceback" not in log, log[log.index("Traceback") - 300 :][:3000]
