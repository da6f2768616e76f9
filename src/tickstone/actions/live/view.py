"""The view of a live rig that windows get: how it stands, what each sensor says now, its readings."""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np

from tickstone.actions.live.connection import LIVE, LOST, Connection
from tickstone.actions.live.intake import Intake
from tickstone.actions.live.lateness import GLANCE_S, Cached
from tickstone.actions.live.ring import ReadingStretch
from tickstone.actions.live.state import LiveState
from tickstone.actions.live.watched import Now
from tickstone.core.instruments import Instrument, stands_after_s
from tickstone.core.timing import Rhythm, rhythm
from tickstone.errors import NotFound

RATE_LOOK_BACK_S = 5.0
RHYTHM_S = 0.5  # how often the rhythm of the lines is worked out
SILENT_S = 2.0
LONGEST_AWAY_S = 3600.0
NO_TEXT = 0.2  # of what came lately: with more strange bytes than that it is no text
NO_TEXT_WORDS = (
    "What comes is no text: the baud is most likely wrong. The board's program says it, in the line that "
    "begins its serial port; 9600 and 115200 are the usual ones."
)


class View:
    """Looks at an intake and the connection that feeds it; several windows that look at one moment get one
    answer."""

    def __init__(
        self, intake: Intake, connection: Connection, lock: threading.RLock, clock: Callable[[], float]
    ) -> None:
        self._intake, self._connection, self._lock, self._clock = intake, connection, lock, clock
        self.renew()

    def renew(self) -> None:
        """Forget what was worked out: the rig, or what is connected, is another."""
        with self._lock:
            self._glances: dict[str, Cached[Now]] = {}
            self._beat: Cached[Rhythm] = Cached(RHYTHM_S)

    # How it stands ------------------------------------------------------------------------------------------

    def state(self) -> LiveState:
        """How the rig stands now."""
        with self._lock:
            now, connection, intake = self._clock(), self._connection, self._intake
            status = connection.status
            if status == LIVE and now - intake.last_arrival_s > self._silent_after_s():
                status = "silent"
            return LiveState(
                status,
                connection.source,
                connection.why,
                self._advice(now),
                connection.left_out,
                self._rhythm(now),
                intake.lines,
                intake.garbled,
                None if intake.recording is None else intake.recording.state,
                intake.now_us,
                now - connection.lost_at if status == LOST else 0.0,
            )

    def _silent_after_s(self) -> float:
        """How long no line may come before the source is called silent, s: where pulses alone send lines, a
        wheel that stands is no silence."""
        watched = self._intake.watched
        pulses = [
            stands_after_s(self._intake.values[key]) for key, w in watched.items() if w.kind.fades is not None
        ]
        return SILENT_S + max(pulses) if pulses and len(pulses) == len(watched) else SILENT_S

    def _advice(self, now: float) -> str:
        waits = now - self._intake.understood_at_s >= SILENT_S
        if not self._connection.open or not waits:
            return ""
        return NO_TEXT_WORDS if self._connection.strange_share > NO_TEXT else ""

    def _rhythm(self, now: float) -> Rhythm:
        """Lines a second as they come, with jitter and gaps of the sensor that speaks most."""
        beat = self._beat.get(now, lambda: self._rhythm_at(now))
        return beat if self._connection.status == LIVE else Rhythm(None, beat.jitter_ms, beat.gaps)

    def _rhythm_at(self, now: float) -> Rhythm:
        busiest = max(self._intake.watched.values(), key=lambda w: w.readings, default=None)
        times = busiest.ring.last_seconds(RATE_LOOK_BACK_S).times_s if busiest else np.zeros(0)
        beat, arrivals = rhythm(times), self._intake.arrivals
        while arrivals and arrivals[0][1] <= now - RATE_LOOK_BACK_S:
            arrivals.popleft()
        if not arrivals:
            return Rhythm(None, beat.jitter_ms, beat.gaps)
        span = max(now - arrivals[0][1], 0.5)
        return Rhythm(round(sum(n for n, _ in arrivals) / span, 1), beat.jitter_ms, beat.gaps)

    @property
    def last_line_s(self) -> float:
        """The rig's time of the last line, s: what came before is older than what comes next."""
        return self._intake.now_us / 1e6

    def now_s(self) -> float:
        """The rig's time now, s: of the last line, and by our own clock since then while the source is
        there."""
        with self._lock:
            if self._connection.status != LIVE or self._intake.lines == 0:
                return self.last_line_s
            since_s = min(max(0.0, self._clock() - self._intake.last_arrival_s), LONGEST_AWAY_S)
            return self.last_line_s + self._intake.pace * since_s

    def _complete_to_s(self) -> float:
        """Up to when, s of the rig's time, everything that was sent has surely been taken: what has not come
        since then does not come."""
        to_s = self._intake.lateness.complete_to_s(self._clock()) if self._connection.status == LIVE else None
        return self.last_line_s if to_s is None else max(self.last_line_s, to_s)

    # What its sensors say -----------------------------------------------------------------------------------

    def now(self, sensor: str) -> Now:
        """What a sensor says now."""
        with self._lock:
            clock_s, intake = self._clock(), self._intake
            glance = self._glances.setdefault(sensor, Cached(GLANCE_S))
            return glance.get(
                clock_s,
                lambda: intake.watched[sensor].now(self._complete_to_s(), clock_s, intake.values[sensor]),
            )

    def stretch(self, sensor: str, since: int, most: int) -> ReadingStretch:
        """A sensor's readings after number ``since``."""
        with self._lock:
            return self._intake.watched[sensor].ring.since(since, most)

    def last_seconds(self, sensor: str, seconds: float) -> ReadingStretch:
        """A sensor's readings of the last ``seconds``."""
        with self._lock:
            return self._intake.watched[sensor].ring.last_seconds(seconds)

    def instrument(self, sensor: str, name: str) -> Instrument:
        """An instrument of a sensor. Raises NotFound."""
        with self._lock:
            watched = self._intake.watched.get(sensor)
            if watched is None or name not in watched.instruments:
                raise NotFound(f"No sensor {sensor!r} with an instrument {name!r} is watched here.")
            self._glances.pop(sensor, None)
            return watched.instruments[name]

    def zero(self, sensor: str, name: str) -> None:
        """Set an instrument to zero. Raises NotFound."""
        with self._lock:
            self.instrument(sensor, name).zero()
