"""Work on files in a process of its own, so that it takes no rhythm from the live line and no more memory
than it is given; told how far it is, and stopped."""

from __future__ import annotations

import contextlib
import itertools
import multiprocessing
import os
import resource
import threading
from collections.abc import Callable
from concurrent.futures import CancelledError, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from ctypes import Array, c_longlong
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tickstone.errors import BadInput, NotFound, TickStoneError
from tickstone.formats.readings import TOO_MUCH
from tickstone.supervised import LOG

WAITING, RUNNING, DONE, FAILED, STOPPED = "waiting", "running", "done", "failed", "stopped"
FAILED_WORDS = (
    "The work failed for a reason that nobody expected; the log in the data folder says "
    "which. Nothing was kept."
)
MEMORY = 2_000_000_000  # bytes of its own that a worker may hold beyond what it starts with
LOST = (
    "The work was lost: its process ended, as it does when a file unpacks to more than 2 GB. "
    "Nothing of it was kept; begin it again, or cut the file into pieces first."
)
MOST_KEPT = 1000  # far more than files can be on the bench
FIRST_STOP, STOPS = 3, 8  # places where a job reads that it is to stop; more never wait in the worker

Progress = Callable[[int, int], None]
Shared = Array[c_longlong]  # without a lock, which a process that is killed could take with it


class Stopped(Exception):
    """Raised in the work when a person stopped it."""


@dataclass(frozen=True)
class JobState:
    """How a job stands: ``done`` of its whole (bytes, say) and a count of what it made so far; its result or
    why it failed."""

    state: str
    done: int = 0
    count: int = 0
    result: Any = None
    error: TickStoneError | None = None


_SHARED: Shared | None = None  # in the worker: number of the job, done, count, jobs to stop


def _at_worker_start(shared: Shared) -> None:
    global _SHARED
    _SHARED = shared
    _limit(resource.RLIMIT_DATA, _own_memory() + MEMORY)
    _limit(resource.RLIMIT_CORE, 0)
    parent = multiprocessing.parent_process()

    def end_with_parent() -> None:
        if parent is not None:
            try:
                parent.join()
            finally:
                os._exit(1)

    threading.Thread(target=end_with_parent, name="end with parent", daemon=True).start()


def _limit(what: int, most: int) -> None:
    _, hard = resource.getrlimit(what)
    resource.setrlimit(what, (most if hard == resource.RLIM_INFINITY else min(most, hard), hard))


def _own_memory() -> int:
    """What this process holds of its own, bytes (common practice: the sixth number of Linux' statm, in
    pages)."""
    return int(Path("/proc/self/statm").read_text().split()[5]) * resource.getpagesize()


def _logged(future: Future[Any]) -> None:
    """Log what nobody expected of a job; refusals and stops are its ordinary ends."""
    error = None if future.cancelled() else future.exception()
    if error is not None and not isinstance(error, TickStoneError | Stopped):
        LOG.error("a job failed", exc_info=error)


def _run(
    number: int, work: Callable[..., Any], arguments: tuple[Any, ...], cpu_s: int | None
) -> tuple[Any, int, int]:
    shared = _SHARED
    if shared is None:
        raise RuntimeError("jobs run in a worker process")
    shared[:FIRST_STOP] = [number, 0, 0]

    def progress(done: int, count: int) -> None:
        shared[1], shared[2] = done, count
        if shared[FIRST_STOP + number % STOPS] == number:
            raise Stopped

    progress(0, 0)
    if cpu_s is not None:
        used = resource.getrusage(resource.RUSAGE_SELF)
        _limit(resource.RLIMIT_CPU, int(used.ru_utime + used.ru_stime) + cpu_s)
    try:
        result = work(*arguments, progress)
    except MemoryError:
        raise BadInput(TOO_MUCH, "file") from None
    return result, shared[1], shared[2]


def _ready() -> None:
    """Nothing: the process is there once this is done."""


class Jobs:
    """Jobs of the app, one at a time; the process is started with the first and ends with the app. One that
    takes more than ``cpu_s`` seconds of a processor is ended."""

    def __init__(self, cpu_s: int | None = None) -> None:
        self._cpu_s = cpu_s
        self._numbers = itertools.count(1)
        self._futures: dict[int, Future[Any]] = {}
        self._lock = threading.Lock()
        self._context = multiprocessing.get_context("forkserver")
        self._shared: Shared = self._context.RawArray("q", FIRST_STOP + STOPS)
        self._pool: ProcessPoolExecutor | None = None

    def start(self, work: Callable[..., Any], *arguments: Any, then: Callable[[], None] | None = None) -> int:
        """Begin ``work(*arguments, progress)`` as soon as those before are done, and call ``then`` at its
        end, however it ends; returns the job's number."""
        with self._lock:
            number = next(self._numbers)
            self._futures[number] = self._submit(_run, number, work, arguments, self._cpu_s)
            self._futures[number].add_done_callback(_logged)
            if then is not None:
                self._futures[number].add_done_callback(lambda _: then())
            for old in list(self._futures)[:-MOST_KEPT]:
                del self._futures[old]
        return number

    def warm(self) -> None:
        """Start the process, so that the next job does not wait for it."""
        with self._lock:
            self._submit(_ready)

    def _submit(self, work: Callable[..., Any], *arguments: Any) -> Future[Any]:
        try:
            return self._worker().submit(work, *arguments)
        except BrokenProcessPool:
            self._pool = None
            return self._worker().submit(work, *arguments)

    def _worker(self) -> ProcessPoolExecutor:
        if self._pool is None:
            self._pool = ProcessPoolExecutor(1, self._context, _at_worker_start, (self._shared,))
        return self._pool

    def result(self, number: int) -> Any:
        """Wait until a job is done, and give what it made. Raises what it was refused by, and NotFound."""
        future = self._futures.get(number)
        if future is not None:
            wait([future])
        state = self.state(number)
        if state.error is not None:
            raise state.error
        if state.state == STOPPED:
            raise NotFound("This work was stopped.")
        return state.result

    def state(self, number: int) -> JobState:
        """How a job stands. Raises NotFound."""
        future = self._futures.get(number)
        if future is None:
            raise NotFound(f"There is no job {number}.")
        if not future.done():
            now, done, count = self._shared[:FIRST_STOP]
            return JobState(RUNNING, done, count) if now == number else JobState(WAITING)
        try:
            result, done, count = future.result()
            return JobState(DONE, done, count, result)
        except (CancelledError, Stopped):
            return JobState(STOPPED)
        except TickStoneError as error:
            return JobState(FAILED, error=error)
        except BrokenProcessPool:
            return JobState(FAILED, error=BadInput(LOST, "file"))
        except Exception:  # nobody expected it; it was logged when it came
            return JobState(FAILED, error=TickStoneError(FAILED_WORDS))

    def stop(self, number: int) -> None:
        """Stop a job: at once when it waits, at its next step when it runs. Raises NotFound."""
        future = self._futures.get(number)
        if future is None:
            raise NotFound(f"There is no job {number}.")
        if not future.cancel():
            self._shared[FIRST_STOP + number % STOPS] = number

    def close(self) -> None:
        """End the process and what runs in it."""
        with self._lock:
            if self._pool is None:
                return
            for number in self._futures:
                with contextlib.suppress(NotFound):
                    self.stop(number)
            self._pool.shutdown(wait=True, cancel_futures=True)
            self._pool = None
