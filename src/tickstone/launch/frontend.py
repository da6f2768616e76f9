"""The front end: packages and build, each done anew only when what it is made from has changed."""

from __future__ import annotations

import fcntl
import hashlib
import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tickstone.errors import SetUp
from tickstone.launch.folders import ROOT, WEB
from tickstone.launch.machine import say

OLDEST_NODE = 20
SOURCES = (
    "index.html",
    "package.json",
    "package-lock.json",
    "tsconfig.json",
    "vite.config.ts",
    "src",
    "public",
)


def npm(*arguments: str) -> None:
    """Run npm in the front end's folder. Raises SetUp when it fails, or Node.js is too old."""
    _check_node()
    done = subprocess.run(
        ["npm", "--no-fund", "--no-audit", "--loglevel=error", *arguments], cwd=WEB, stdout=sys.stderr
    )
    if done.returncode:
        raise SetUp(f"npm {' '.join(arguments)} failed; the lines above say why.")


def _check_node() -> None:
    needed = f"Node.js {OLDEST_NODE} or newer, with npm, is needed to build the front end"
    if not (shutil.which("npm") and shutil.which("node")):
        raise SetUp(f"{needed}: install it, then start again.")
    version = subprocess.run(["node", "--version"], capture_output=True, text=True).stdout.strip()
    number = version.removeprefix("v").partition(".")[0]
    if number.isdecimal() and int(number) < OLDEST_NODE:
        raise SetUp(f"{needed}; this is {version}.")


@contextmanager
def one_at_a_time() -> Iterator[None]:
    """Two first starts at once: the second waits, then finds the work done."""
    gate = ROOT / ".setup" / "front-end.lock"
    gate.parent.mkdir(exist_ok=True)
    with gate.open("w") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        yield


def ensure_packages() -> None:
    """Install what the lock names, unless that is there already."""
    with one_at_a_time():
        _install()


def _install() -> None:
    stamp = WEB / "node_modules" / ".tick-stone"
    wanted = hashlib.sha256((WEB / "package-lock.json").read_bytes()).hexdigest()
    if stamp.exists() and stamp.read_text() == wanted:
        return
    say("Installing front-end packages …")
    npm("ci")
    stamp.write_text(wanted)


def ensure_built() -> Path:
    """The folder of the built front end, built if its sources changed."""
    with one_at_a_time():
        return _build()


def _build() -> Path:
    built = WEB / "dist"
    stamp = built / ".tick-stone"
    wanted = _fingerprint()
    if not (stamp.exists() and stamp.read_text() == wanted):
        _install()
        say("Building the front end …")
        npm("run", "--silent", "build")
        stamp.write_text(wanted)
    return built


def _fingerprint() -> str:
    digest = hashlib.sha256()
    for name in SOURCES:
        top = WEB / name
        for path in sorted(top.rglob("*")) if top.is_dir() else [top]:
            if path.is_file():
                digest.update(str(path.relative_to(WEB)).encode() + path.read_bytes())
    return digest.hexdigest()
