"""Files that are handed over: the body is the file's bytes, up to a bound, in memory or on disk."""

from __future__ import annotations

from typing import BinaryIO

from fastapi import Request
from starlette.concurrency import run_in_threadpool

from tickstone.errors import TooLarge

MOST_BYTES = 4_000_000_000


async def receive(request: Request, file: BinaryIO, advice: str) -> None:
    """Write a request's body into a file. Raises TooLarge with what to do instead."""
    size = 0
    async for part in request.stream():
        size += len(part)
        if size > MOST_BYTES:
            raise TooLarge(f"The file is larger than {MOST_BYTES / 1e9:g} GB: {advice}.", "file")
        await run_in_threadpool(file.write, part)
