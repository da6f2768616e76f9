"""How raw numbers come about in a run: from the constants of the rig's own sensors, in their own units, and
converted by the same core as real ones. What nobody has measured is named."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours.follow import BAND, BLACK, THRESHOLD, WHITE
from tickstone.core.constants import Provenance, Values
from tickstone.core.decisions.steering import usual_action
from tickstone.core.drive.loop import RangerNumbers, RowNumbers
from tickstone.core.line_row import BROKEN, patterns
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Ambient
from tickstone.core.rigs.kinds.line_sensors import NAMES, stands_astride
from tickstone.core.rigs.rig import Mount, Sensor

Array = npt.NDArray[np.float64]
SLANT_DEG = 25.0  # a smooth wall met at more reflects away, common practice
LOST_SHARE, USUAL_LOST = "lost_share", 0.003  # of pings that are lost without a reason, common practice
PART_SPREAD = 0.5  # of the uncertainty of a constant, by which a real part differs from it
STEP_US, STEP_COUNT = 4.0, 1.0
TABLE_MM = 4.0  # between distances whose raw numbers are worked out
STATES = 256  # of eight sensors


Assumed = tuple[str, ...]  # constants that nobody has measured
NO_ROW = RowNumbers(  # looks as a spot 4 mm wide would, ahead of the axle, and reads nothing
    np.array([80.0, 0.0, 4.0, 1023.0, 0.0, 0.0]),
    np.zeros(0),
    np.zeros((0, 2)),
    np.zeros((0, 4)),
    np.zeros(1),
)


def row_of(
    sensor: Sensor, values: Values, rng: np.random.Generator | None, hands: Mapping[str, float]
) -> tuple[RowNumbers, Assumed]:
    """A row as its constants say, and which of those nobody has measured; with a generator its true whites
    and blacks differ from those as a real part's do. ``hands`` tell how much brighter it is and how much
    farther from the ground than where it was measured, and how many sensors in its middle are read (NaN:
    all)."""
    fitted = int(values["sensors"].value)
    read = fitted if math.isnan(hands["read_sensors"]) else min(int(hands["read_sensors"]), fitted)
    first, higher_mm = (fitted - read) // 2, hands["higher_mm"]
    names = NAMES[first : first + read]
    assumed = {
        name
        for name in ("white", "black", "pitch", "spot", "noise")
        if values[name].provenance is Provenance.ASSUMED
        and not any(f"{name}_{each}" in values for each in names)
    }
    table = np.zeros((len(names), 4))
    for i, name in enumerate(names):
        for column, what in ((WHITE, "white"), (BLACK, "black")):
            table[i, column] = values.get(f"{what}_{name}", values[what]).value
        chosen = values.get(f"threshold_{name}")
        table[i, THRESHOLD] = chosen.value if chosen else table[i, [WHITE, BLACK]].mean()
        band = values.get(f"band_{name}")
        table[i, BAND] = band.value if band else 0.1 * abs(table[i, BLACK] - table[i, WHITE])
    if not all(f"threshold_{name}" in values for name in names):
        assumed.add("thresholds")
    levels = table[:, [WHITE, BLACK]].copy()
    if rng is not None:
        sd = np.array([[values[what].sd or 0.0 for what in ("white", "black")] for _ in names])
        levels += PART_SPREAD * sd * rng.standard_normal(levels.shape)
    # farther away less comes back: both move towards what is read with nothing there (common practice)
    fade = math.exp(-higher_mm / 12.0)
    levels[:, 0] = levels[:, 1] + (levels[:, 0] - levels[:, 1]) * fade
    mount = sensor.mount or Mount(x_mm=80.0)
    spot = values["spot"].value / 2 * (1.0 + max(higher_mm, -4.0) / 10.0)
    top = 2.0 ** values["bits"].value - 1.0
    pitch = values["pitch"].value
    places = np.array([((fitted - 1) / 2 - first - i) * pitch for i in range(read)])
    numbers = RowNumbers(
        np.array([mount.x_mm, mount.y_mm, max(spot, 0.2), top, hands["lamp_counts"], values["noise"].value]),
        places,
        levels,
        table,
        _choices(values, len(names)),
    )
    return numbers, tuple(sorted(assumed))


def span_of_table(row: RowNumbers, values: Values) -> Array:
    """What an edge guard takes for the table: low and high of each sensor, in the places of threshold and
    band; half way to black where nothing is chosen."""
    sensors = row.sensors.copy()
    first = (int(values["sensors"].value) - sensors.shape[0]) // 2
    for i, name in enumerate(NAMES[first : first + sensors.shape[0]]):
        white, black = sensors[i, WHITE], sensors[i, BLACK]
        low, high = values.get(f"table_low_{name}"), values.get(f"table_high_{name}")
        half = (white + black) / 2
        usual = (0.0, half) if black > white else (half, 1e9)
        sensors[i, THRESHOLD] = low.value if low else usual[0]
        sensors[i, BAND] = high.value if high else usual[1]
    return sensors


def flags_of(row: RowNumbers, counts: Array, spans: bool) -> npt.NDArray[np.bool_]:
    """Which sensors were over the line, by their thresholds; with ``spans`` which were off theirs. Shape
    (loops, sensors), as that of the counts."""
    low, high = row.sensors[:, THRESHOLD], row.sensors[:, BAND]
    if spans:
        return np.asarray((counts < low) | (counts > high))
    return np.asarray((counts > low) == (row.sensors[:, BLACK] > row.sensors[:, WHITE]))


def _choices(values: Values, count: int) -> Array:
    """What is done in each state, by its code; whatever is no run of neighbours is the broken one."""

    def action(pattern: str) -> float:
        chosen = values.get(f"act_{pattern}")
        return chosen.value if chosen else usual_action(pattern, astride)

    astride = stands_astride(values)
    choices = np.full(STATES, action(BROKEN))
    for pattern in patterns(count):
        if pattern != BROKEN:
            choices[int(pattern, 2)] = action(pattern)
    return choices


NO_RANGERS = RangerNumbers(np.zeros((0, 12)), np.zeros(2), np.zeros(2))


def rangers_of(
    sensors: Sequence[Sensor],
    all_values: Sequence[Values],
    loop_s: float,
    rng: np.random.Generator | None,
    usual_lost: float = USUAL_LOST,
) -> tuple[RangerNumbers, Assumed]:
    """Rangers of one kind as their constants say, and which of those nobody has measured: the first one's
    conversion serves them all."""
    what, values = kind(sensors[0].kind), all_values[0]
    reach = int(values["farthest"].value) if "farthest" in values else 4000
    nearest = values["nearest"].value if "nearest" in values else 20.0
    channel = what.channels[0]
    step = STEP_US if channel.unit == "µs" else STEP_COUNT
    inverse = what.working.inverse
    assert inverse is not None
    ask = what.working.asks(values)[0]
    known_mm = np.arange(max(nearest, 1.0), reach + 2 * TABLE_MM, TABLE_MM)
    known_raw = [inverse.solve(float(mm), values, Ambient())[ask.name] for mm in known_mm]
    raw_of_mm = np.interp(np.arange(reach + 2.0), known_mm, known_raw)
    if rng is not None and channel.unit == "µs":
        raw_of_mm = raw_of_mm * (1.0 + 0.003 * rng.standard_normal())
    codes: Array = np.arange(int(raw_of_mm.max() / step) + 600, dtype=np.float64) * step
    converted = what.convert({channel.name: codes}, values, Ambient())
    mm_of_raw = np.where(converted.valid, converted.values, np.nan)
    noise = {"µs": 6.0}.get(channel.unit, 2.0)
    if "jitter" in values:
        noise = values["jitter"].value
    rows = []
    lost = values[LOST_SHARE].value if LOST_SHARE in values else usual_lost
    for sensor in sensors:
        mount = sensor.mount or Mount(x_mm=100.0, height_mm=120.0)
        cone = values["cone"].value / 2 if "cone" in values else 1.0
        interval = values["ping_interval"].value if "ping_interval" in values else 0.05
        every = max(len(sensors), round(interval / loop_s))
        rows.append(
            [
                mount.x_mm,
                mount.y_mm,
                math.radians(mount.heading_deg),
                math.radians(cone),
                every,
                math.radians(SLANT_DEG),
                nearest,
                reach,
                lost,
                noise,
                step,
                1e-6 if channel.unit == "µs" else 0.0,
            ]
        )
    assumed = tuple(
        name
        for name in ("offset", "sound", "jitter", "cone")
        if name in values and values[name].provenance is Provenance.ASSUMED
    )
    return RangerNumbers(np.array(rows), raw_of_mm, mm_of_raw), assumed
