"""A client of the app, in this process, over a fresh demo database."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient

from tickstone.actions.workshop import Workshop
from tickstone.api.app import make_app
from tickstone.store.database import Database


@pytest.fixture
def client(database: Database) -> Iterator[TestClient]:
    with TestClient(make_app(Workshop(database)), base_url="http://127.0.0.1:8420") as made:
        yield made


def refused(answer, code: str, path: str) -> str:
    body = answer.json()
    assert (body["code"], body["path"]) == (code, path), body
    assert body["message"].endswith(".")
    return body["message"]
