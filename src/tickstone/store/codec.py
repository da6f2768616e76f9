"""Columns to bytes and back: little-endian numbers, zstd level 3."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import zstandard

CHUNK_ROWS = 8192
LEVEL = 3


def pack(values: npt.NDArray[np.generic]) -> bytes:
    """A one-dimensional array as compressed bytes."""
    return zstandard.compress(np.ascontiguousarray(values).tobytes(), LEVEL)


def unpack(data: bytes, dtype: str) -> npt.NDArray[np.generic]:
    """The array that ``pack`` was given, read-only."""
    return np.frombuffer(zstandard.decompress(data), dtype=dtype)


def pack_rows(times: npt.NDArray[np.int64], values: npt.NDArray[np.float64]) -> bytes:
    """Times, shape (n,), and values, shape (n, columns), as the bytes of a tail."""
    return times.astype("<i8").tobytes() + np.ascontiguousarray(values.T, "<f8").tobytes()


def unpack_rows(data: bytes, n: int) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.float64]]:
    """Times, shape (n,), and values, shape (columns, n), of a tail."""
    times = np.frombuffer(data, "<i8", count=n)
    return times, np.frombuffer(data, "<f8", offset=8 * n).reshape(-1, n)
