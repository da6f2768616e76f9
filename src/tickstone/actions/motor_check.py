"""The guided check with motors: what a rig's last seconds say, at rest and running."""

from __future__ import annotations

import numpy as np

from tickstone.actions.live.rig import LiveRig
from tickstone.core import motor_check
from tickstone.core.noise import step_noise
from tickstone.core.rigs.rig import Rig
from tickstone.errors import Conflict

SECONDS = 5.0
LEAST_READINGS = 8


def at_rest(live: LiveRig, rig: Rig) -> None:
    """Keep the last SECONDS as those with the motors off. Raises Conflict when nothing comes."""
    live.rest = hear(live, rig)


def running(live: LiveRig, rig: Rig) -> motor_check.Answer:
    """Hold the last SECONDS, with the motors running, against those at rest. Raises Conflict when nothing
    comes, or nothing was taken at rest."""
    now = hear(live, rig)
    if live.rest is None:
        raise Conflict("Take the stretch at rest first, with the motors off.", "step")
    return motor_check.judge(live.rest, now)


def hear(live: LiveRig, rig: Rig) -> motor_check.Hearing:
    """The last SECONDS of every sensor, and the share of garbled lines so far. Raises Conflict when nothing
    comes."""
    state = live.view.state()
    if state.status != "live":
        raise Conflict("Nothing comes from the board: connect it first.", "source")
    stretches = []
    for sensor in rig.sensors:
        what = live.intake.watched[sensor.id].kind
        recent = live.view.last_seconds(sensor.id, SECONDS)
        good = recent.values[np.isfinite(recent.values)]
        enough = good.size >= LEAST_READINGS
        stretches.append(
            motor_check.SensorStretch(
                sensor.id,
                sensor.name,
                what.quantity.unit,
                what.quantity.digits,
                step_noise(good) if enough else None,
                float(np.median(good)) if good.size else None,
                float(np.isnan(recent.values).mean()) if recent.values.size else 1.0,
                int(recent.values.size),
                what.family == "turning",
            )
        )
    return motor_check.Hearing(tuple(stretches), state.garbled / max(1, state.lines))
