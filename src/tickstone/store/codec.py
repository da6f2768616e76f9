"""Columns to bytes and back: little-endian numbers in the narrowest type that holds them exactly, zstd level
3.

The first byte tells the type: whole numbers of 16 or 32 bits, 64-bit numbers, or the steps from one time to
the next. A column without that byte (it begins as zstd does) holds 64-bit numbers.
"""

from __future__ import annotations

import threading

import numpy as np
import numpy.typing as npt
import zstandard

CHUNK_ROWS = 8192
LEVEL = 3
PLAIN, SHORT, LONG, STEPS = b"\x01", b"\x02", b"\x03", b"\x04"
_ZSTD = 0x28
_HEAD = 9  # bytes before the steps: their type, and the first time


def pack(values: npt.NDArray[np.float64]) -> bytes:
    """A column of numbers, shape (n,), as compressed bytes; NaN stays NaN."""
    for mark, kind, most in ((SHORT, "<i2", 2**15), (LONG, "<i4", 2**31)):
        with np.errstate(invalid="ignore"):
            narrow = values.astype(kind)
        if (
            values.size
            and abs(values[0]) < most
            and np.array_equal(narrow, values)
            and not _minus_zero(values)
        ):
            return mark + _packer().compress(narrow.tobytes())
    return PLAIN + _packer().compress(np.ascontiguousarray(values, "<f8").tobytes())


def _minus_zero(values: npt.NDArray[np.float64]) -> bool:
    return bool((np.signbit(values) & (values == 0)).any())


def pack_times(times: npt.NDArray[np.int64]) -> bytes:
    """Times, µs, never falling, shape (n,), as compressed bytes."""
    steps = np.diff(times)
    if times.size and (not steps.size or steps.max() < 2**31):
        first = int(times[0]).to_bytes(8, "little", signed=True)
        return STEPS + first + _packer().compress(steps.astype("<i4").tobytes())
    return PLAIN + _packer().compress(times.astype("<i8").tobytes())


def unpack(data: bytes) -> npt.NDArray[np.float64]:
    """The column that ``pack`` was given."""
    mark, rest = (PLAIN, data) if data[0] == _ZSTD else (data[:1], data[1:])
    kind = {PLAIN: "<f8", SHORT: "<i2", LONG: "<i4"}[mark]
    return np.frombuffer(zstandard.decompress(rest), kind).astype(np.float64, copy=False)


def unpack_times(data: bytes) -> npt.NDArray[np.int64]:
    """The times that ``pack_times`` was given."""
    if data[:1] == STEPS:
        steps = np.frombuffer(zstandard.decompress(data[_HEAD:]), "<i4")
        times = np.empty(steps.size + 1, np.int64)
        times[0] = int.from_bytes(data[1:_HEAD], "little", signed=True)
        np.cumsum(steps, out=times[1:])
        times[1:] += times[0]
        return times
    return np.frombuffer(zstandard.decompress(data if data[0] == _ZSTD else data[1:]), "<i8")


_OWN = threading.local()


def _packer() -> zstandard.ZstdCompressor:
    """This thread's compressor: making one takes as long as a small column."""
    compressor: zstandard.ZstdCompressor | None = getattr(_OWN, "packer", None)
    if compressor is None:
        compressor = _OWN.packer = zstandard.ZstdCompressor(level=LEVEL)
    return compressor


def pack_rows(times: npt.NDArray[np.int64], values: npt.NDArray[np.float64]) -> bytes:
    """Times, shape (n,), and values, shape (n, columns), as the bytes of a tail."""
    return times.astype("<i8").tobytes() + np.ascontiguousarray(values.T, "<f8").tobytes()


def unpack_rows(data: bytes, n: int) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.float64]]:
    """Times, shape (n,), and values, shape (columns, n), of a tail."""
    times = np.frombuffer(data, "<i8", count=n)
    return times, np.frombuffer(data, "<f8", offset=8 * n).reshape(-1, n)
