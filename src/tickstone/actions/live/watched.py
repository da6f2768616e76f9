"""A sensor that is watched: its readings as they come, converted, with what its instruments make of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from tickstone.actions.live.ring import Array, History, Ring
from tickstone.core.constants import Values
from tickstone.core.decisions.live import live_words
from tickstone.core.instruments import INSTRUMENTS, Instrument, NewReadings, Shown, stands_after_s
from tickstone.core.noise import step_noise
from tickstone.core.rigs.kinds.base import Ambient, Converted, Kind, Moment
from tickstone.core.rigs.rig import Options, Rig

HISTORY_ROWS = 65_536  # of raw channels, which the fault finder and calibrations look back over
RING_ROWS = 120_000  # a minute at 2 000 lines/s
WORDS_EVERY_S = 0.5  # a sentence settles: at most two changes a second
WORDS_LOOK_BACK_S = 1.0
NOISE_ROWS = 40


@dataclass(frozen=True)
class Now:
    """What a sensor says now; ``value`` fades where no pulse comes. ``asked`` are the last raw numbers by
    name, ``series`` the last further results, ``instruments`` what stands on each."""

    raw: float | None
    value: float | None
    code: int
    asked: dict[str, float]
    series: dict[str, float]
    instruments: dict[str, Shown]
    sentence: str
    noise: float | None
    readings: int
    dropouts: int


@dataclass
class Watched:
    """``now_s`` in its methods is the rig's time, s."""

    key: str
    kind: Kind
    options: Options = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.ring = Ring(RING_ROWS)
        self.readings = self.dropouts = 0
        self._notebook: dict[str, float] = {}
        self._named: tuple[Values, tuple[str, ...]] | None = None
        self._asked: dict[str, float] = {}
        self._series: dict[str, float] = {}
        self._moment: dict[str, Array] = {}
        self._last_s = 0.0
        self._sentence, self._settled_at = "", -WORDS_EVERY_S
        self._noise: float | None = None
        self.instruments: dict[str, Instrument] = {
            name: INSTRUMENTS[name]() for name in self.kind.instruments
        }
        channels = self.kind.channels_of(self.options)
        self.channels = tuple(channel.name for channel in channels)
        self._edges = {channel.name for channel in channels if channel.form == "edge"}
        self.history = History(HISTORY_ROWS, len(self.channels))

    def fit(self, rig: Rig) -> None:
        """Tell its instruments the rig they are on."""
        for instrument in self.instruments.values():
            instrument.fit(rig)

    def take(
        self, times_us: Sequence[int], rows: Sequence[Sequence[float]], values: Values, ambient: Ambient
    ) -> Converted:
        """Convert rows, one value a channel (NaN: not told), and keep them. Returns what was kept,
        converted."""
        times = np.asarray(times_us, np.float64)
        table = np.asarray(rows, np.float64).T
        self.history.add(times / 1e6, table)
        channels = dict(zip(self.channels, table, strict=True))
        working = self.kind.working
        inputs = dict(self.kind.inputs(channels, times, values, self._notebook))
        names = self._names(values)
        for name in names:
            inputs.setdefault(name, np.full(times.shape, np.nan))
        converted = working.read(inputs, values, ambient)
        for name, column in inputs.items():
            told = column[np.isfinite(column)]
            if told.size:
                self._asked[name] = float(told[-1])
                self._moment[name] = told[-1:]
        if self.kind.fades is not None:  # rows between pulses tell levels and no speed
            kept = np.isfinite(converted.values)
            times, converted = times[kept], Converted(converted.values[kept], converted.codes[kept])
            inputs = {name: column[kept] for name, column in inputs.items()}
        pulses = sum(
            int(np.isfinite(column).sum()) for name, column in channels.items() if name in self._edges
        )
        if not times.size:
            if pulses:
                self._tell(NewReadings(times, converted.values, converted.valid, inputs, {}, pulses), values)
            return converted
        series = {series.name: series.values for series in working.more(inputs, values, ambient)}
        for name, column in series.items():
            if np.isfinite(column[-1]):
                self._series[name] = float(column[-1])
        self.ring.add(times / 1e6, inputs[names[0]], converted.values, converted.codes)
        self.readings += len(times)
        self.dropouts += int(np.isnan(converted.values).sum())
        self._last_s = float(times[-1]) / 1e6
        self._tell(
            NewReadings(times / 1e6, converted.values, converted.valid, inputs, series, pulses), values
        )
        return converted

    def _tell(self, readings: NewReadings, values: Values) -> None:
        for instrument in self.instruments.values():
            instrument.take(readings, values)

    def _names(self, values: Values) -> tuple[str, ...]:
        """Names of the raw numbers that are asked for; worked out anew only when constants change."""
        if self._named is None or self._named[0] is not values:
            self._named = values, tuple(ask.name for ask in self.kind.working.asks(values))
        return self._named[1]

    def broken(self) -> None:
        """The board began anew, or was away: what went on from reading to reading does not."""
        self._notebook.clear()
        for instrument in self.instruments.values():
            instrument.broken()

    def now(self, now_s: float, clock_s: float, values: Values) -> Now:
        """How it stands; ``clock_s`` is our own clock, by which sentences settle."""
        age_s = max(0.0, now_s - self._last_s)
        last = self.ring.since(0, 1)
        code = int(last.codes[-1]) if last.codes.size else 0
        value = float(last.values[-1]) if last.values.size and code == 0 else None
        if value is not None and self.kind.fades is not None:
            value = 0.0 if age_s > stands_after_s(values) else min(value, self.kind.fades(age_s, values))
        self._settle(age_s, clock_s, values)
        return Now(
            float(last.raw[-1]) if last.raw.size else None,
            value,
            code,
            dict(self._asked),
            dict(self._series),
            {name: instrument.shown(now_s, values) for name, instrument in self.instruments.items()},
            self._sentence,
            self._noise,
            self.readings,
            self.dropouts,
        )

    def _settle(self, age_s: float, clock_s: float, values: Values) -> None:
        """Words and noise are worked out anew only so often as they may change."""
        if clock_s - self._settled_at < WORDS_EVERY_S:
            return
        recent = self.ring.last_seconds(WORDS_LOOK_BACK_S)
        if recent.times_s.size < 30:
            recent = self.ring.since(0, 30)
        moment = Moment(recent.times_s, Converted(recent.values, recent.codes), self._moment, age_s)
        chosen = live_words(moment, values)
        plain = "" if chosen.alone else self.kind.words(moment, values)
        self._sentence, self._settled_at = " ".join(filter(None, (chosen.text, plain))), clock_s
        self._noise = step_noise(self.ring.since(0, NOISE_ROWS).values)
