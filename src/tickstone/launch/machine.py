"""Debian packages and processes of this machine."""

from __future__ import annotations

import ctypes
import os
import pwd
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

from tickstone.errors import SetUp

PR_SET_PDEATHSIG = 1
SERVER_USER = "postgres"  # PostgreSQL refuses to run as root
_libc = ctypes.CDLL(None, use_errno=True)


def say(sentence: str) -> None:
    """Set-up talk goes to standard error."""
    print(sentence, file=sys.stderr, flush=True)


def is_root() -> bool:
    """Whether this process runs as root."""
    return os.geteuid() == 0


def dies_with_parent(how: signal.Signals) -> Callable[[], None]:
    """A ``preexec_fn`` after which the child gets ``how`` when its parent ends, however it ends."""

    def prepare() -> None:
        os.setsid()  # Ctrl-C at the terminal is the parent's to handle
        _libc.prctl(PR_SET_PDEATHSIG, how)

    return prepare


def install(package: str) -> None:
    """Install a Debian package, with sudo where needed. Raises SetUp with a sentence when it cannot be done."""
    admin: list[str] = []
    if not is_root():
        if not shutil.which("sudo"):
            raise SetUp(f"The Debian package {package} is missing. Ask an administrator to install it: "
                        f"apt-get install {package}")  # fmt: skip
        admin = ["sudo"]
    say(f"Installing Debian's {package} …")
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    for command in (
        ["apt-get", "update", "-qq"],
        ["apt-get", "install", "-y", "-qq", "--no-install-recommends", package],
    ):
        if (
            subprocess.run([*admin, *command], stdout=sys.stderr, env=environment).returncode
            and command[1] == "install"
        ):
            raise SetUp(f"The Debian package {package} could not be installed; the lines above say why.")


def postgres_tools() -> Path:
    """The folder of PostgreSQL's programs, installing the package when they are missing. A cluster that Debian makes on
    install is prevented: no system service is left behind."""
    found = _newest_postgres()
    if found is None:
        guard = Path("/etc/postgresql-common/createcluster.d/tick-stone.conf")
        if is_root() and not guard.exists():
            guard.parent.mkdir(parents=True, exist_ok=True)
            guard.write_text("create_main_cluster = false\n")
            try:
                install("postgresql")
            finally:
                guard.unlink(missing_ok=True)
        else:
            install("postgresql")
        found = _newest_postgres()
    if found is None:
        raise SetUp("PostgreSQL's programs are not where Debian puts them (/usr/lib/postgresql).")
    return found


def _newest_postgres() -> Path | None:
    folders = [p.parent for p in Path("/usr/lib/postgresql").glob("*/bin/initdb")]
    return max(folders, key=lambda p: int(p.parent.name), default=None)


def chromium() -> str:
    """The path of Debian's Chromium, installing it when missing."""
    if not Path("/usr/bin/chromium").exists():
        install("chromium")
    return "/usr/bin/chromium"


def server_identity() -> tuple[int, int] | None:
    """User and group for the database server, or None to run as oneself."""
    if not is_root():
        return None
    entry = pwd.getpwnam(SERVER_USER)
    return entry.pw_uid, entry.pw_gid


def reachable_by_server(folder: Path) -> Path | None:
    """None when the server's user can pass through every parent of ``folder``, else the first that bars the way."""
    identity = server_identity()
    if identity is None:
        return None
    uid, gid = identity
    for parent in reversed(folder.parents):
        if not parent.exists():
            break
        info = parent.stat()
        shift = 6 if info.st_uid == uid else 3 if info.st_gid == gid else 0
        if not info.st_mode >> shift & 1:
            return parent
    return None
