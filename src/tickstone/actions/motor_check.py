"""The guided check with motors: what the feed's last seconds say, at rest and running."""

from __future__ import annotations

import numpy as np

from tickstone.actions.feed import Feed
from tickstone.core import motor_check
from tickstone.core.noise import step_noise
from tickstone.core.rigs.rig import Rig
from tickstone.errors import Conflict

SECONDS = 5.0
LEAST_READINGS = 8


def stretches(feed: Feed, rig: Rig) -> tuple[list[motor_check.Stretch], float]:
    """The last SECONDS of every sensor, and the share of garbled lines so far. Raises Conflict when nothing comes."""
    state = feed.state()
    if state.status != "live":
        raise Conflict("Nothing comes from the board: connect it first.", "source")
    found = []
    for sensor in rig.sensors:
        what = feed.watched[sensor.id].kind
        recent = feed.last_seconds(sensor.id, SECONDS)
        good = recent.values[np.isfinite(recent.values)]
        enough = good.size >= LEAST_READINGS
        found.append(motor_check.Stretch(
            sensor.id, sensor.name, what.quantity.unit, what.quantity.digits,
            step_noise(good) if enough else None, float(np.median(good)) if good.size else None,
            float(np.isnan(recent.values).mean()) if recent.values.size else 1.0, int(recent.values.size),
            what.family == "turning",
        ))  # fmt: skip
    return found, state.garbled / max(1, state.lines)
