"""Starting, a second start, serving one's own data, and refusing what cannot work."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.served import Served
from tickstone.errors import SetUp
from tickstone.launch import folders, machine
from tickstone.launch.cluster import Cluster
from tickstone.launch.folders import ROOT


def start(command: str, folder: Path, **environment: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "tickstone.cli", command],
        capture_output=True,
        text=True,
        timeout=120,
        cwd=ROOT,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src"), "TICK_STONE_DATA": str(folder), **environment},
    )


def test_a_second_start_prints_the_running_address_and_ends_well(served: Served) -> None:
    again = start("demo", served.folder)
    assert again.returncode == 0
    assert served.address in again.stdout
    assert served.client.get("/api/health").json()["standin"] is True


@pytest.mark.server
def test_serve_has_a_cluster_and_a_database_of_its_own_and_no_demo(data_folder: Path) -> None:
    server = Served(data_folder, None, command="serve")
    try:
        health = server.client.get("/api/health").json()
        assert health.pop("disk_free") > 0
        assert health.pop("disk") in ("enough", "low")
        assert health == {
            "ok": True,
            "database": True,
            "standin": True,
            "demo": False,
            "unwell": [],
            "waiting": 0,
        }
        assert server.client.get("/api/rigs").json() == []
        server.client.post(
            "/api/rigs", json={"title": "Heron", "purpose": "tow-path cargo trailer"}
        ).raise_for_status()
        server.kill()
        server.start()
        assert [rig["slug"] for rig in server.client.get("/api/rigs").json()] == ["heron"]
        page = server.client.get("/heron/wire")
        assert page.status_code == 200
        assert '<div id="root">' in page.text
        assert server.client.get("/../pyproject.toml").text.startswith("<!doctype")
    finally:
        server.stop()


@pytest.mark.skipif(os.geteuid() != 0, reason="only root runs the server as another user")
def test_a_data_folder_that_the_servers_user_cannot_reach_is_refused(tmp_path: Path, monkeypatch) -> None:
    shut = tmp_path / "shut"
    shut.mkdir(mode=0o700)
    monkeypatch.setenv("TICK_STONE_DATA", str(shut / "data"))
    with pytest.raises(SetUp, match="cannot pass through"):
        folders.data_folder()


def test_a_missing_package_is_named_when_it_cannot_be_installed(monkeypatch) -> None:
    monkeypatch.setattr(machine, "is_root", lambda: False)
    monkeypatch.setattr(machine.shutil, "which", lambda _: None)
    with pytest.raises(SetUp, match="postgresql is missing"):
        machine.install("postgresql")


@pytest.mark.server
def test_a_cluster_survives_a_killed_server(data_folder: Path) -> None:
    folder = data_folder / "killed"
    folder.mkdir(mode=0o711)
    cluster = Cluster(folder)
    cluster.start()
    cluster.ensure_database("kept")
    assert cluster._process is not None
    cluster._process.kill()
    cluster._process.wait()
    with Cluster(folder) as again:
        assert again.ensure_database("kept").endswith("/kept")
