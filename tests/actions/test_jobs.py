"""Jobs in their process: how far they are, one after the other, stopped while they wait and while they
run."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import until
from tickstone.actions.jobs import DONE, RUNNING, STOPPED, WAITING, Jobs
from tickstone.errors import BadInput, NotFound

pytestmark = pytest.mark.slow  # a process is started


def count(folder: Path, progress: Callable[[int, int], None]) -> str:
    """Say 2 of 7 until a file lies in the folder, then 7 of 7."""
    while not (folder / "go on").exists():
        progress(2, 7)
        time.sleep(0.01)
    progress(7, 7)
    return folder.name


def work_for_ever(_: Path, progress: Callable[[int, int], None]) -> None:
    """A file made to be read for ever."""
    while True:
        progress(0, 0)


@pytest.fixture
def jobs() -> Iterator[Jobs]:
    made = Jobs()
    yield made
    made.close()


def how(jobs: Jobs, number: int) -> tuple[str, int, int]:
    state = jobs.state(number)
    return state.state, state.done, state.count


def test_jobs_run_one_after_the_other_and_say_how_far_they_are(jobs: Jobs, tmp_path: Path) -> None:
    ended: list[str] = []
    first = jobs.start(count, tmp_path, then=lambda: ended.append("first"))
    second = jobs.start(count, tmp_path)
    third = jobs.start(count, tmp_path)
    until(lambda: how(jobs, first) == (RUNNING, 2, 7))
    assert how(jobs, third) == (WAITING, 0, 0)
    jobs.stop(third)
    assert jobs.state(third).state == STOPPED
    assert not ended
    (tmp_path / "go on").touch()
    until(lambda: how(jobs, first) == how(jobs, second) == (DONE, 7, 7))
    assert jobs.state(first).result == tmp_path.name
    assert ended == ["first"]
    with pytest.raises(NotFound):
        jobs.state(third + 1)


def test_a_job_that_runs_is_stopped_at_its_next_step_and_the_next_begins(jobs: Jobs, tmp_path: Path) -> None:
    first, second = jobs.start(count, tmp_path), jobs.start(count, tmp_path)
    until(lambda: how(jobs, first) == (RUNNING, 2, 7))
    jobs.stop(first)
    until(lambda: jobs.state(first).state == STOPPED)
    until(lambda: how(jobs, second) == (RUNNING, 2, 7))
    assert jobs.state(first).state == STOPPED


def test_what_takes_more_of_the_processor_than_it_may_is_ended_and_the_next_runs(tmp_path: Path) -> None:
    looks = Jobs(cpu_s=1)
    with pytest.raises(BadInput, match="Nothing of it was kept"):
        looks.result(looks.start(work_for_ever, tmp_path))
    (tmp_path / "go on").touch()
    assert looks.result(looks.start(count, tmp_path)) == tmp_path.name
    looks.close()
