"""The API as a schema: every address answers nonsense with a refusal in the one form, never with a crash."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from fastapi.testclient import TestClient

from tickstone.actions.workshop import Workshop
from tickstone.api.app import make_app
from tickstone.api.errors import STATUS
from tickstone.launch import checks
from tickstone.store.database import Database

NONSENSE = ["", "0", "-1", "nobody", "%00", "☃", "a" * 300, "../../etc/passwd", "1e999", "null"]
BODIES = [None, [], {}, {"revision": "x"}, {"value": None}, {"pairs": [[1]]}, {"unknown": 1}, "text", 7]


def addresses() -> list[tuple[str, str]]:
    """Every method and path of the API."""
    paths: dict[str, dict[str, object]] = checks.schema_of_app()["paths"]  # type: ignore[assignment]
    return [(method.upper(), path) for path, methods in paths.items() for method in methods]


@pytest.fixture(scope="module")
def client(new_database: Callable[[], str]) -> Iterator[TestClient]:
    database = Database(new_database())
    with TestClient(
        make_app(Workshop(database)), base_url="http://127.0.0.1", raise_server_exceptions=True
    ) as made:
        yield made
    database.close()


@pytest.mark.parametrize(("method", "path"), addresses(), ids=lambda part: str(part))
def test_nonsense_is_refused_in_one_form(client: TestClient, method: str, path: str) -> None:
    for word in NONSENSE:
        filled = path
        while "{" in filled:
            before, _, rest = filled.partition("{")
            filled = before + word.replace("%00", "%2500").replace("/", "%2F") + rest.partition("}")[2]
        bodies = BODIES if word == NONSENSE[1] else [None, {}]
        for body in bodies if method not in ("GET", "DELETE") else [None]:
            answer = client.request(method, filled, json=body)
            assert answer.status_code < 500, (filled, body, answer.text)
            if answer.status_code >= 400:
                said = answer.json()
                assert said["code"] in STATUS, (filled, body, said)
                assert said["message"]
                assert "Traceback" not in said["message"]


def test_every_status_of_the_table_is_a_code_of_the_tree() -> None:
    from tickstone import errors

    codes = {
        c.code for c in vars(errors).values() if isinstance(c, type) and issubclass(c, errors.TickStoneError)
    }
    assert codes == set(STATUS)


def test_a_null_character_in_a_text_is_refused_and_breaks_nothing(client: TestClient) -> None:
    for address, body in (("/api/rigs/fern/notes", {"text": "a\x00b"}), ("/api/rigs", {"title": "Nul\x00"})):
        answer = client.post(address, json=body)
        assert answer.status_code == 422, answer.text
    assert client.get("/api/rigs/fern/entries").status_code == 200
