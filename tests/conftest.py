"""One database cluster for the whole run; a fresh database for each test that asks for one."""

from __future__ import annotations

import itertools
import os
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

import pytest
from hypothesis import settings
from xdist.workermanage import WorkerController

from tests.served import Served
from tickstone.actions.workshop import Workshop
from tickstone.launch.cluster import Cluster
from tickstone.launch.seed import seed
from tickstone.store.database import Database

_NUMBER = itertools.count(1)

# A busy machine is no finding; the same examples everywhere, so that what passed here passes there. New
# examples are looked
# for with TICK_STONE_SEARCH=1.
settings.register_profile("steady", deadline=None, derandomize="TICK_STONE_SEARCH" not in os.environ)
settings.load_profile("steady")


NEEDS = {"browser": {"chromium"}, "server": {"cluster", "served_on_own_cluster"}}  # what takes longest first


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What needs a database, a server or a browser is marked so, for the inner loop to leave out; and it
    comes first, so that what runs side by side ends together."""
    for item in items:
        for mark, fixtures in NEEDS.items():
            if fixtures & set(getattr(item, "fixturenames", ())):
                item.add_marker(mark)
    items.sort(key=lambda item: [item.get_closest_marker(mark) is None for mark in NEEDS])


@contextmanager
def demo_cluster() -> Iterator[tuple[Path, Cluster]]:
    """A cluster with a database that holds the demo, and its folder."""
    with tempfile.TemporaryDirectory(prefix="tick-stone-tests-") as name:
        folder = Path(name)
        folder.chmod(0o711)  # the database server's user passes through
        with Cluster(folder, durable=False) as running:
            template = Database(running.ensure_database("template_demo"))
            template.migrate()
            seed(template)
            template.close()
            yield folder, running


class SharedCluster:
    """Where tests run side by side, the process that gives them out starts one cluster for all."""

    def __init__(self) -> None:
        self._stack = ExitStack()
        self._address: tuple[str, int] | None = None

    def pytest_configure_node(self, node: WorkerController) -> None:
        """Tell a worker where the cluster is, unless no test with a database was asked for."""
        if "not server" in node.config.option.markexpr:
            return
        if self._address is None:
            folder, running = self._stack.enter_context(demo_cluster())
            self._address = str(folder), running.port
        node.workerinput["cluster"] = self._address

    def pytest_unconfigure(self) -> None:
        """Stop the cluster."""
        self._stack.close()


def pytest_configure(config: pytest.Config) -> None:
    """Only the process that gives tests out has nodes to configure."""
    if getattr(config.option, "tx", None) and not hasattr(config, "workerinput"):
        config.pluginmanager.register(SharedCluster())


@pytest.fixture(scope="session")
def cluster(request: pytest.FixtureRequest) -> Iterator[Cluster]:
    """One cluster for the whole run."""
    shared = getattr(request.config, "workerinput", {}).get("cluster")
    if shared:
        yield Cluster.of_another_process(Path(shared[0]), shared[1])
        return
    with demo_cluster() as (_, running):
        yield running


@pytest.fixture(scope="session")
def new_database(cluster: Cluster, worker_id: str) -> Callable[[], str]:
    """What makes a fresh database that holds the demo, and returns its address; no two have one name."""
    return lambda: cluster.ensure_database(f"test_{worker_id}_{next(_NUMBER)}", template="template_demo")


@pytest.fixture
def database_url(new_database: Callable[[], str]) -> str:
    """The address of a fresh database that holds the demo."""
    return new_database()


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    opened = Database(database_url)
    yield opened
    opened.close()


@pytest.fixture
def shop(database: Database) -> Iterator[Workshop]:
    made = Workshop(database)
    made.open()
    yield made
    made.close()


@pytest.fixture
def data_folder() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="tick-stone-data-") as name:
        Path(name).chmod(0o711)
        yield Path(name)


@pytest.fixture
def served(data_folder: Path, database_url: str) -> Iterator[Served]:
    server = Served(data_folder, database_url)
    yield server
    server.stop()


@pytest.fixture
def open_house(data_folder: Path, database_url: str) -> Iterator[Served]:
    """A server that other devices of the network can reach."""
    server = Served(data_folder, database_url, more=("--lan", "--lan-port", "0"))
    yield server
    server.stop()


@pytest.fixture
def served_on_own_cluster(data_folder: Path) -> Iterator[tuple[Served, Cluster]]:
    """A server, and the cluster under it that a test may stop and start."""
    folder = data_folder / "database"
    folder.mkdir(mode=0o711)
    with Cluster(folder, durable=False) as cluster:
        url = cluster.ensure_database("away")
        made = Database(url)
        made.migrate()
        made.close()
        server = Served(data_folder, url)
        yield server, cluster
        server.stop()


def until(condition: object, seconds: float = 60.0) -> object:
    """Wait for something to become true, and return it."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        found = condition()  # type: ignore[operator]
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError(f"did not happen within {seconds:g} s")
