"""Folders for what lasts no longer than the app: each bears the number of its process, so that those of one
that was killed are known at the next start."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from pathlib import Path

NAMED = re.compile(r"tick-stone-[a-z]+-(\d+)-\w+")


def folder(purpose: str) -> Path:
    """A new folder of this process, for its owner alone; ``purpose`` is a word in small letters."""
    return Path(tempfile.mkdtemp(prefix=f"tick-stone-{purpose}-{os.getpid()}-"))


def remove(path: Path) -> None:
    """Take a folder away with everything in it."""
    shutil.rmtree(path, ignore_errors=True)


def clean() -> int:
    """Take away our own folders of processes that are no more; returns how many."""
    left = []
    for path in Path(tempfile.gettempdir()).glob("tick-stone-*"):
        named = NAMED.fullmatch(path.name)
        if named and not Path(f"/proc/{named[1]}").exists() and path.stat().st_uid == os.geteuid():
            left.append(path)
    for path in left:
        remove(path)
    return len(left)
