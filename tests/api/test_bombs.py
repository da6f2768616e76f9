"""Small files that unpack to much: refused with a sentence; the app itself holds no more memory for them and
goes on."""

from __future__ import annotations

import io
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from tests.api.test_imports import hand_over, look, take_in
from tests.served import Served

pytestmark = [pytest.mark.server, pytest.mark.slow]

ROWS = 2_000
WORD = "x" * 2_000_000


def parquet(words: pa.Array) -> bytes:
    """Readings with a column more, written as tightly as Parquet can."""
    table = pa.table({"t_us": range(ROWS), "echo_us": [1748.0] * ROWS, "mark": words})
    file = io.BytesIO()
    pq.write_table(table, file, compression="zstd", store_schema=False)
    return file.getvalue()


def one_word_many_times() -> bytes:
    return parquet(pa.DictionaryArray.from_arrays(pa.array([0] * ROWS, pa.int32()), pa.array([WORD])))


def lists_of_it() -> bytes:
    lists = pa.ListArray.from_arrays(
        pa.array(range(ROWS + 1), pa.int32()),
        pa.DictionaryArray.from_arrays(pa.array([0] * ROWS, pa.int32()), pa.array([WORD])),
    )
    return parquet(lists)


@pytest.mark.parametrize("bomb", [one_word_many_times, lists_of_it])
def test_a_small_parquet_that_unpacks_to_4_gb_is_refused_and_the_app_stays_as_small(
    served: Served, bomb: Any
) -> None:
    content = bomb()
    assert len(content) < 20_000
    before = served.memory_mb
    file = hand_over(served, content, "walk.parquet")
    answer = served.client.post(f"/api/files/{file['id']}/look", json={})
    assert answer.status_code == 422
    assert answer.json()["path"] == "file"
    assert "unpacks" in answer.json()["message"]
    taken = take_in(served, file)
    assert taken["state"] == "failed"
    assert "unpacks" in taken["message"]
    assert served.memory_mb - before < 100
    assert look(served, hand_over(served, "t_us,echo_us\n0,1748\n1,1749\n"))["sensors"] == ["front-ranger"]


def test_a_table_with_a_row_without_an_end_is_refused(served: Served) -> None:
    before = served.memory_mb

    def spaces() -> Any:
        yield b"t_us,echo_us\n0,1748\n"
        for _ in range(200):
            yield b" " * 1_000_000

    answer = served.client.post("/api/convert-file", content=spaces())
    assert answer.status_code == 422
    assert "longer than" in answer.json()["message"]
    assert served.memory_mb - before < 100
