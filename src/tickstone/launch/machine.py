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


OWN = 0o700  # a folder for its owner alone
OWN_FILE = 0o600
PASSED_THROUGH = 0o711  # the same, but the database server's user comes through


def is_root() -> bool:
    """Whether this process runs as root."""
    return os.geteuid() == 0


def dies_with_parent(how: signal.Signals) -> Callable[[], None]:
    """A ``preexec_fn`` after which the child gets ``how`` when its parent ends, however it ends."""

    def prepare() -> None:
        os.setsid()  # Ctrl-C at the terminal is the parent's to handle
        _libc.prctl(PR_SET_PDEATHSIG, how)

    return prepare


def _admin(package: str) -> list[str]:
    """What to put before a command that needs an administrator; who sits here is asked before sudo. Raises
    SetUp, with what to do by hand, when it may not be done."""
    by_hand = SetUp(
        f"Debian's package {package} is missing. Install it by hand (as an administrator: apt-get install "
        f"{package}), then start again."
    )
    if not shutil.which("apt-get"):
        raise by_hand
    if is_root():
        return []
    if not (shutil.which("sudo") and sys.stdin is not None and sys.stdin.isatty()):
        raise by_hand
    say(f"Debian's package {package} is missing. Install it now with sudo? [y/N]")
    if sys.stdin.readline().strip().lower() not in ("y", "yes"):
        raise by_hand
    return ["sudo"]


def install(package: str, admin: list[str] | None = None) -> None:
    """Install a Debian package, with sudo where needed; ``admin`` where somebody was asked already. Raises
    SetUp with a sentence when it cannot be done."""
    admin = _admin(package) if admin is None else admin
    say(f"Installing Debian's {package} …")
    apt = [*admin, "env", "DEBIAN_FRONTEND=noninteractive", "apt-get", "-qq", "-o", "DPkg::Lock::Timeout=600"]
    subprocess.run([*apt, "update"], stdout=sys.stderr)
    if subprocess.run(
        [*apt, "install", "-y", "--no-install-recommends", package], stdout=sys.stderr
    ).returncode:
        raise SetUp(
            f"Debian's package {package} could not be installed; the lines above say why. Install it by hand "
            f"(as an administrator: apt-get install {package}), then start again."
        )


NO_CLUSTER = "/etc/postgresql-common/createcluster.d/tick-stone.conf"


def postgres_tools() -> Path:
    """The folder of PostgreSQL's programs, installing the package when they are missing. The cluster that
    Debian would make and start on install is prevented: no system service is left changed."""
    path = _newest_postgres()
    if path is not None:
        return path
    admin = _admin("postgresql")
    subprocess.run([*admin, "mkdir", "-p", str(Path(NO_CLUSTER).parent)], check=True)
    subprocess.run(
        [*admin, "tee", NO_CLUSTER],
        input=b"create_main_cluster = false\n",
        stdout=subprocess.DEVNULL,
        check=True,
    )
    try:
        install("postgresql", admin)
    finally:
        subprocess.run([*admin, "rm", "-f", NO_CLUSTER])
    path = _newest_postgres()
    if path is None:
        raise SetUp("PostgreSQL's programs are not where Debian puts them (/usr/lib/postgresql).")
    return path


def postgres_tools_of(version: str) -> Path | None:
    """The folder of PostgreSQL's programs of a version, such as 15, or None where it is not installed."""
    tools = Path("/usr/lib/postgresql") / version / "bin"
    return tools if (tools / "postgres").exists() else None


def _newest_postgres() -> Path | None:
    folders = [p.parent for p in Path("/usr/lib/postgresql").glob("*/bin/initdb")]
    return max(folders, key=lambda p: int(p.parent.name), default=None)


CHROMIUM = "/usr/bin/chromium-headless-shell"


def chromium() -> str:
    """The path of Debian's Chromium without a head, installing it when missing. It takes half the time of the
    one with a head that is told to hide it."""
    if not Path(CHROMIUM).exists():
        install("chromium-headless-shell")
    return CHROMIUM


def server_identity() -> tuple[int, int] | None:
    """User and group for the database server, or None to run as oneself."""
    if not is_root():
        return None
    entry = pwd.getpwnam(SERVER_USER)
    return entry.pw_uid, entry.pw_gid


def reachable_by_server(folder: Path) -> Path | None:
    """None when the server's user can pass through every parent of ``folder``, else the first that bars the
    way."""
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
