"""What lives long: threads and tasks with a name. One that crashes is logged with its stack, seen, and
started again."""

from __future__ import annotations

import asyncio
import logging
import threading
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass

from tickstone.errors import TickStoneError

LOG = logging.getLogger("tickstone")
# before a try after the first crash, the second, …; the last for all that follow
PAUSES_S = (0.1, 0.5, 2.0, 5.0)
CALM_S = 60.0  # a crash so long after the one before counts as the first
QUIET_S = 30.0  # the same trouble of a turn is logged no oftener


@dataclass
class Living:
    """A thread or task that was started and has not ended: whether it is well just now, how often it has
    crashed since it was, and what the last crash was."""

    name: str
    well: bool = True
    crashes: int = 0
    trouble: str = ""
    crashed_at: float = -CALM_S

    def crashed(self, error: BaseException) -> float:
        """Take note of a crash; returns how long to wait before the next try, s."""
        now = time.monotonic()
        self.crashes = self.crashes + 1 if now - self.crashed_at < CALM_S else 1
        self.well, self.crashed_at, self.trouble = False, now, f"{type(error).__name__}: {error}"
        LOG.error("%s crashed (%d)", self.name, self.crashes, exc_info=error)
        return PAUSES_S[min(self.crashes, len(PAUSES_S)) - 1]

    def recovered(self) -> None:
        """It goes well again."""
        if not self.well:
            LOG.warning("%s goes on", self.name)
        self.well, self.trouble = True, ""


class Supervisor:
    """Starts what lives long, and knows how it is."""

    def __init__(self) -> None:
        self._living: dict[int, Living] = {}
        self._lock = threading.Lock()
        self._numbers = iter(range(1, 2**62))
        self._turns: dict[str, Living] = {}

    @property
    def living(self) -> list[Living]:
        """Everything that was started and has not ended, and the turns that were tried."""
        with self._lock:
            return [*self._living.values(), *self._turns.values()]

    @property
    def unwell(self) -> list[Living]:
        """What has crashed and is not well again."""
        return [living for living in self.living if not living.well]

    def _enter(self, name: str) -> tuple[int, Living]:
        with self._lock:
            number = next(self._numbers)
            self._living[number] = Living(name)
            return number, self._living[number]

    def _leave(self, number: int) -> None:
        with self._lock:
            self._living.pop(number, None)

    def start(
        self, name: str, work: Callable[[], None], stop: threading.Event | None = None, *, again: bool = True
    ) -> threading.Thread:
        """Run ``work`` in a thread until it returns; after a crash again, until ``stop`` is set. Work that is
        not worth beginning ``again`` ends with its crash."""
        ended = stop or threading.Event()

        def run() -> None:
            number, state = self._enter(name)
            try:
                while not ended.is_set():
                    try:
                        work()
                        return
                    except Exception as error:  # whatever it is, it must not die in silence
                        pause_s = state.crashed(error)
                        if not again or ended.wait(pause_s):
                            return
                        state.recovered()
            finally:
                self._leave(number)

        thread = threading.Thread(target=run, name=name, daemon=True)
        thread.start()
        return thread

    async def keep(self, name: str, work: Callable[[], Awaitable[None]]) -> None:
        """Await ``work()`` until it returns; after a crash again."""
        number, state = self._enter(name)
        try:
            while True:
                try:
                    await work()
                    return
                except Exception as error:
                    await asyncio.sleep(state.crashed(error))
                    state.recovered()
        finally:
            self._leave(number)

    def turn(self, name: str, task: Callable[[], object]) -> None:
        """One turn of something that is done again and again. A refusal is tried again at the next turn; what
        nobody expected is logged, and the others have their turns all the same."""
        state = self._turns.setdefault(name, Living(name))
        try:
            task()
        except TickStoneError:
            return
        except Exception as error:
            if state.well or time.monotonic() - state.crashed_at > QUIET_S:
                state.crashed(error)
            return
        state.recovered()
