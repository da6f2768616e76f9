"""Control: gains by published rules, relay tests, step responses, and mapping onto an actuator."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_length, check_not_negative, check_positive, check_same_length
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Gains:
    """PID gains; a term that is not used has no time (None) and its parallel gain is 0."""

    kp: float
    ti_s: float | None
    td_s: float | None

    @property
    def ki(self) -> float:
        """Parallel integral gain, kp/ti."""
        return self.kp / self.ti_s if self.ti_s else 0.0

    @property
    def kd(self) -> float:
        """Parallel derivative gain, kp·td."""
        return self.kp * self.td_s if self.td_s else 0.0


# Shares of the ultimate gain and period: kp/Ku, ti/Tu, td/Tu.
ULTIMATE_RULES: dict[str, tuple[float, float | None, float | None]] = {
    "zn-p": (0.5, None, None),
    "zn-pi": (0.45, 1 / 1.2, None),
    "zn-pid": (0.6, 0.5, 0.125),
    "some-overshoot": (1 / 3, 0.5, 1 / 3),
    "no-overshoot": (0.2, 0.5, 1 / 3),
}


def gains_from_ultimate(ku: float, tu_s: float, rule: str) -> Gains:
    """Gains from the ultimate gain and period.

    Source: Ziegler & Nichols, Trans. ASME 64 (1942) 759; the two overshoot rules are common practice.

    >>> gains_from_ultimate(10, 2, "zn-pid").ki
    6.0
    """
    check_positive(ku, "ku")
    check_positive(tu_s, "tu_s")
    if rule not in ULTIMATE_RULES:
        raise BadInput(f"rule must be one of {', '.join(ULTIMATE_RULES)}, not {rule}.", "rule")
    share, ti, td = ULTIMATE_RULES[rule]
    return Gains(share * ku, None if ti is None else ti * tu_s, None if td is None else td * tu_s)


LAG_RULES = ("cohen-coon-pid", "simc-pi", "zn-open-loop-pid")
# the delay as a share of the lag for which a rule was made (Åström & Hägglund, Advanced PID Control (2006),
# chapter 7; from memory)
LAG_RANGES = {"cohen-coon-pid": (0.1, 2.0), "simc-pi": (0.01, 10.0), "zn-open-loop-pid": (0.1, 1.0)}


def gains_from_lag(gain: float, lag_s: float, delay_s: float, rule: str) -> Gains:
    """Gains from a first-order lag with delay.

    Parameters: gain, output per input, not zero; lag_s, delay_s, above zero.
    Source: Cohen & Coon, Trans. ASME 75 (1953) 827; Skogestad, J. Process Control 13 (2003) 291 (SIMC,
    closed-loop time = delay); Ziegler & Nichols (1942).

    >>> gains_from_lag(1, 1, 1, "simc-pi")
    Gains(kp=0.5, ti_s=1, td_s=None)
    """
    if gain == 0:
        raise BadInput("gain must not be zero.", "gain")
    check_positive(lag_s, "lag_s")
    check_positive(delay_s, "delay_s")
    ratio = delay_s / lag_s
    if rule == "cohen-coon-pid":
        kp = (4 / 3 + ratio / 4) / (gain * ratio)
        return Gains(kp, delay_s * (32 + 6 * ratio) / (13 + 8 * ratio), delay_s * 4 / (11 + 2 * ratio))
    if rule == "simc-pi":
        return Gains(0.5 / (gain * ratio), min(lag_s, 8 * delay_s), None)
    if rule == "zn-open-loop-pid":
        return Gains(1.2 / (gain * ratio), 2 * delay_s, delay_s / 2)
    raise BadInput(f"rule must be one of {', '.join(LAG_RULES)}, not {rule}.", "rule")


def ultimate_gain_from_relay(
    relay_amplitude: float, oscillation_amplitude: float, hysteresis: float = 0.0
) -> float:
    """Ultimate gain from a relay test: ``4d/(π·√(a² − ε²))``. Amplitudes are half of peak to peak.

    Source: Åström & Hägglund, Automatica 20 (1984) 645.

    >>> round(ultimate_gain_from_relay(1, 0.25), 4)
    5.093
    """
    check_positive(relay_amplitude, "relay_amplitude")
    check_positive(oscillation_amplitude, "oscillation_amplitude")
    if not check_not_negative(hysteresis, "hysteresis") < oscillation_amplitude:
        raise BadInput(
            f"hysteresis ({hysteresis:g}) must be smaller than the oscillation ({oscillation_amplitude:g}).",
            "hysteresis",
        )
    return 4 * relay_amplitude / (math.pi * math.sqrt(oscillation_amplitude**2 - hysteresis**2))


def servo_map(
    value: float, in_low: float, in_high: float, out_low: float, out_high: float
) -> tuple[float, float]:
    """A value mapped from one range onto another, and the same held within it: (mapped, clamped).

    The output range may run backwards (a linkage that turns the other way).

    >>> servo_map(1.25, -1, 1, 80, 120)
    (125.0, 120)
    """
    if in_low >= in_high:
        raise BadInput(f"in_low ({in_low:g}) must be below in_high ({in_high:g}).", "in_low")
    mapped = out_low + (value - in_low) * (out_high - out_low) / (in_high - in_low)
    return mapped, min(max(mapped, min(out_low, out_high)), max(out_low, out_high))


@dataclass(frozen=True)
class StepResponse:
    """What a step response looks like; None for what was never reached."""

    overshoot_pct: float
    peak_time_s: float
    rise_s: float | None
    settling_s: float | None
    steady_error: float


def step_metrics(times_s: npt.ArrayLike, values: npt.ArrayLike, target: float) -> StepResponse:
    """Overshoot, rise (10 to 90 %), settling (2 %) and steady error of a step response.

    Parameters: times_s, values: shape (n,), n ≥ 2, times rising; target, not equal to the first value.
    Returns: StepResponse; levels count from values[0] towards the target, crossings are interpolated, times
    count from times_s[0]; settling is the last entry into ±2 %; the steady error is the target less the mean
    of the last tenth. Raises: BadInput for ``times_s``, ``values`` or ``target``.

    >>> step_metrics([0, 1, 2, 3], [0, 1, 1, 1], 1).rise_s
    0.8
    """
    t, y = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    check_length(t, 2, "times_s")
    check_same_length({"times_s": t, "values": y})
    if bool((np.diff(t) <= 0).any()):
        raise BadInput("times_s must rise.", "times_s")
    span = target - y[0]
    if span == 0:
        raise BadInput(f"target equals the first value ({target:g}): there is no step.", "target")
    t, share = t - t[0], (y - y[0]) / span
    peak = int(np.argmax(share))
    rise = [_first_crossing(t, share, level) for level in (0.1, 0.9)]
    tenth = max(1, len(y) // 10)
    return StepResponse(
        max(0.0, 100.0 * (float(share[peak]) - 1.0)),
        float(t[peak]),
        rise[1] - rise[0] if rise[0] is not None and rise[1] is not None else None,
        _settled_at(t, share),
        float(target - y[-tenth:].mean()),
    )


def _first_crossing(t: Array, share: Array, level: float) -> float | None:
    above = np.flatnonzero(share >= level)
    if above.size == 0:
        return None
    i = int(above[0])
    return 0.0 if i == 0 else float(np.interp(level, share[i - 1 : i + 1], t[i - 1 : i + 1]))


SETTLED = 0.02


def _settled_at(t: Array, share: Array) -> float | None:
    off = np.abs(share - 1.0)
    outside = np.flatnonzero(off > SETTLED)
    if outside.size == 0:
        return 0.0
    i = int(outside[-1])
    if i == len(t) - 1:
        return None
    return float(np.interp(-SETTLED, [-off[i], -off[i + 1]], t[i : i + 2]))
