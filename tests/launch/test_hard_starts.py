"""Starts that cannot go well: each ends with a sentence that says what to do, and none with a traceback."""

from __future__ import annotations

import os
import pty
import shutil
import socket
import subprocess
import sys
from contextlib import ExitStack
from pathlib import Path

import pytest
from sqlalchemy import text

from tickstone.errors import SetUp
from tickstone.launch import frontend, machine, servers
from tickstone.launch.cluster import Cluster
from tickstone.launch.folders import ROOT
from tickstone.store.database import Database

pytestmark = pytest.mark.slow  # environments of Python are made


@pytest.fixture
def house(tmp_path: Path) -> Path:
    """The launcher with what it reads, as it comes from the repository; a folder of programs beside it."""
    shutil.copytree(ROOT / "src", tmp_path / "house" / "src", ignore=shutil.ignore_patterns("__pycache__"))
    for name in ("tick-stone", "requirements.txt", "requirements-dev.txt", "requirements-uv.txt"):
        shutil.copy(ROOT / name, tmp_path / "house" / name)
    (tmp_path / "programs").mkdir()
    return tmp_path


def program(house: Path, name: str, lines: str) -> None:
    """A program of this machine that behaves as the test wants."""
    file = house / "programs" / name
    file.write_text(f"#!/bin/sh\n{lines}\n")
    file.chmod(0o755)


def without_ensurepip(house: Path) -> dict[str, str]:
    (house / "modules").mkdir()
    (house / "modules" / "ensurepip.py").write_text("raise ImportError")
    return {"PYTHONPATH": str(house / "modules")}


def start(
    house: Path,
    before: str = "pass",
    stdin: int = subprocess.DEVNULL,
    administrator: bool = True,
    **more: str,
) -> str:
    """Start, with a line of Python before, and as an administrator or not; what it said. It must
    have ended with 2 and no traceback."""
    for name in ("sh", "env"):
        if not (house / "programs" / name).exists():
            (house / "programs" / name).symlink_to(f"/bin/{name}")
    code = (
        f"import os, runpy, sys; os.geteuid = lambda: {0 if administrator else 1000}; {before}; "
        f"sys.argv = ['tick-stone', 'demo']; "
        f"runpy.run_path({str(house / 'house' / 'tick-stone')!r}, run_name='__main__')"
    )
    done = subprocess.run(
        [sys._base_executable, "-c", code],  # type: ignore[attr-defined]
        stdin=stdin,
        capture_output=True,
        text=True,
        timeout=120,
        cwd="/",
        env={"PATH": str(house / "programs"), "HOME": str(house), **more},
    )
    assert done.returncode == 2, done.stderr
    assert "Traceback" not in done.stderr
    return done.stderr


def test_without_ensurepip_and_without_an_administrator(house: Path) -> None:
    more = without_ensurepip(house)
    by_hand = "Install it by hand (as an administrator: apt-get install python3-venv)"
    assert by_hand in start(house, administrator=False, **more)
    program(house, "apt-get", "exit 100")
    assert by_hand in start(house, administrator=False, **more)  # no sudo
    program(house, "sudo", f"touch {house}/house/asked; exit 1")
    assert by_hand in start(house, administrator=False, **more)  # nobody sits there to be asked
    assert not (house / "house" / "asked").exists()
    assert "could not be installed; the lines above say why" in start(house, **more)  # root, no network


@pytest.mark.parametrize(("typed", "runs"), [("n\n", False), ("\n", False), ("y\n", True)])
def test_sudo_runs_only_after_a_yes(house: Path, typed: str, runs: bool) -> None:
    program(house, "apt-get", "exit 100")
    program(house, "sudo", f": > {house}/house/asked; exit 1")
    own, theirs = pty.openpty()
    os.write(own, typed.encode())
    said = start(house, stdin=theirs, administrator=False, **without_ensurepip(house))
    assert "Install it now with sudo? [y/N]" in said
    assert "by hand" in said
    assert (house / "house" / "asked").exists() == runs
    os.close(own)
    os.close(theirs)


def test_without_a_network_the_packages_are_not_there(house: Path) -> None:
    nowhere = {"PIP_INDEX_URL": "http://127.0.0.1:9/", "PIP_RETRIES": "0", "PIP_NO_CACHE_DIR": "1"}
    said = start(house, PIP_CONFIG_FILE=os.devnull, **nowhere)
    assert "installing uv failed" in said
    assert "A first start needs the network" in said


def test_in_a_folder_that_may_not_be_written(house: Path) -> None:
    (house / "house" / ".setup").write_text("something else stands where it would write")
    said = start(house)
    assert "cannot write" in said
    assert "run it as the owner of this folder" in said


def test_an_old_python_is_told_apart(house: Path) -> None:
    assert "Python 3.11 or newer is needed" in start(house, "sys.version_info = (3, 9, 2)")


def test_an_old_node_or_none(house: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", str(house / "programs"))
    with pytest.raises(SetUp, match="install it, then start again"):
        frontend.npm("ci")
    (house / "programs" / "sh").symlink_to("/bin/sh")
    program(house, "npm", "exit 0")
    program(house, "node", "echo v16.20.2")
    with pytest.raises(SetUp, match=r"Node.js 20 or newer.*; this is v16.20.2"):
        frontend.npm("ci")
    program(house, "node", "echo v22.1.0")
    frontend.npm("ci")


def test_a_port_that_is_taken() -> None:
    with socket.create_server(("127.0.0.1", 0)) as taken, ExitStack() as stack:
        port = taken.getsockname()[1]
        with pytest.raises(SetUp, match=f"Port {port} of 127.0.0.1 is taken"):
            servers.bound(stack, "127.0.0.1", port, 1)
        assert servers.bound(stack, "127.0.0.1", None, port).getsockname()[1] > port


def test_data_of_a_newer_version(database: Database) -> None:
    with database.transaction() as session:
        session.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(SetUp, match="belong to a newer version"):
        database.migrate()


def test_a_cluster_of_another_postgresql(data_folder: Path) -> None:
    folder = data_folder / "other"
    (folder / "cluster").mkdir(parents=True)
    (folder / "cluster" / "PG_VERSION").write_text("99\n")
    with pytest.raises(SetUp, match="install postgresql-99"):
        Cluster(folder).start()


def test_a_package_is_asked_for_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """PostgreSQL takes several commands of an administrator: one question covers them."""
    asked: list[str] = []
    monkeypatch.setattr(machine, "_newest_postgres", lambda: None)
    monkeypatch.setattr(machine, "_admin", lambda package: asked.append(package) or ["true"])
    with pytest.raises(SetUp, match="not where Debian puts them"):
        machine.postgres_tools()
    assert asked == ["postgresql"]
