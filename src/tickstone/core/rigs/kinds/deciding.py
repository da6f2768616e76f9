"""Constants that are chosen at Decide, or that a choice there is worked from, for kinds that share them."""

from __future__ import annotations

from dataclasses import replace

from tickstone.core.constants import ConstantSpec, Provenance
from tickstone.core.rigs.kinds.parts import UNMEASURED
from tickstone.core.rigs.kinds.told import by_geometry, by_mount

DRIVE_SPEED = ConstantSpec("drive_speed", "cart speed", "m/s", 0.4, None, "a walking cart", 0, 10, "decide")

OBSTACLE = (
    ConstantSpec("trip", "trip", "mm", None, None, "", 0, 10_000, "decide", shown_at=("watch",)),
    ConstantSpec("clear", "clear", "mm", None, None, "", 0, 15_000, "decide", shown_at=("watch",)),
    DRIVE_SPEED,
    ConstantSpec("braking", "braking", "m/s²", 0.8, None, "rubber on a bench", 0.01, 20, "decide"),
    ConstantSpec(
        "reaction", "reaction", "s", 0.05, None, "one turn of the loop", 0, 5, "decide", counts=False
    ),
    ConstantSpec(
        "ping_interval", "ping every", "s", 0.05, None, "20 pings a second", 0.001, 5, "decide", counts=False
    ),
    ConstantSpec("votes", "votes", "", 2.0, None, "against single spikes", 1, 20, "decide", counts=False),
    ConstantSpec(
        "votes_of", "of the last", "", 2.0, None, "one after the other", 1, 20, "decide", counts=False
    ),
    ConstantSpec(
        "approaches", "obstacles met", "/h", 60.0, None, "one a minute", 0, 10_000, "decide", counts=False
    ),
    ConstantSpec(
        "set_back",
        "behind bumper",
        "mm",
        20.0,
        None,
        UNMEASURED,
        0,
        1000,
        "decide",
        Provenance.MEASURED,
        counts=False,
    ),
    ConstantSpec("gap", "gap left", "mm", 60.0, None, "a hand's breadth", 0, 5000, "decide", counts=False),
    ConstantSpec(
        "hysteresis", "hysteresis", "mm", 50.0, None, "common practice", 0, 5000, "decide", counts=False
    ),
    ConstantSpec(
        "bar_far", "bar lights from", "mm", 1000.0, None, "a metre", 50, 10_000, "decide", counts=False
    ),
)

EDGE = (
    replace(DRIVE_SPEED, counts=False),
    ConstantSpec(
        "braking", "braking", "m/s²", 0.8, None, "rubber on a bench", 0.01, 20, "decide", counts=False
    ),
    ConstantSpec(
        "reaction", "reaction", "s", 0.02, None, "motors begin to brake", 0, 5, "decide", counts=False
    ),
    ConstantSpec(
        "look_interval",
        "looks every",
        "s",
        0.02,
        None,
        "50 looks a second",
        0.0001,
        5,
        "decide",
        counts=False,
    ),
    ConstantSpec(
        "edge_votes", "looks in a row", "", 2.0, None, "against single spikes", 1, 20, "decide", counts=False
    ),
    ConstantSpec(
        "ahead",
        "row ahead of the wheel",
        "mm",
        30.0,
        None,
        "usual at the front of a small cart",
        0,
        2000,
        "decide",
        Provenance.MEASURED,
        counts=False,
        from_rig=by_mount("x_mm"),
    ),
)

FILTER = (
    ConstantSpec("filter_kind", "filter", "", None, None, "", 0, 4, "decide", counts=False),
    ConstantSpec("filter_amount", "filter's amount", "", None, None, "", 0, 1000, "decide", counts=False),
)

DROPOUTS = (
    ConstantSpec("dropout_policy", "missing readings", "", None, None, "", 0, 2, "decide", counts=False),
    ConstantSpec(
        "dropout_after", "stop without one after", "s", None, None, "", 0, 60, "decide", counts=False
    ),
)

TURNING = (
    ConstantSpec("slow_s", "slow after", "s", None, None, "", 0.001, 60, "decide"),
    ConstantSpec("refractory", "refractory time", "µs", None, None, "", 0, 10_000_000, "decide"),
    ConstantSpec("smoothing", "mean of pulses", "", None, None, "", 1, 1000, "decide", counts=False),
    ConstantSpec("over_rpm", "alarm above", "rpm", None, None, "", 1, 1_000_000, "decide"),
)

TILT = (
    ConstantSpec("tilt_alarm", "tilt alarm", "°", None, None, "", 0, 90, "decide", shown_at=("watch",)),
    ConstantSpec(
        "track",
        "track",
        "mm",
        150.0,
        3.0,
        UNMEASURED,
        10,
        5000,
        "decide",
        Provenance.MEASURED,
        counts=False,
        from_rig=by_geometry("track_mm"),
    ),
    ConstantSpec(
        "cog_height",
        "centre of gravity up",
        "mm",
        120.0,
        10.0,
        UNMEASURED,
        1,
        5000,
        "decide",
        Provenance.MEASURED,
        counts=False,
        from_rig=by_geometry("cog_height_mm"),
    ),
    ConstantSpec(
        "tilt_rate",
        "it tilts at",
        "°/s",
        20.0,
        None,
        "a wheel that climbs a kerb slowly",
        0,
        1000,
        "decide",
        counts=False,
    ),
    ConstantSpec(
        "fusion_lag",
        "fusion lag",
        "s",
        0.2,
        None,
        "usual for a complementary filter",
        0,
        10,
        "decide",
        counts=False,
    ),
    ConstantSpec("held_back", "held back", "°", 3.0, None, "for a bump", 0, 45, "decide", counts=False),
)

TRIM = (
    ConstantSpec("trim_v", "trim screw", "V", None, None, "", 0, 30, "decide"),
    ConstantSpec(
        "pale_v",
        "receiver over pale",
        "V",
        0.6,
        None,
        UNMEASURED,
        0,
        30,
        "decide",
        Provenance.MEASURED,
        counts=False,
    ),
    ConstantSpec(
        "dark_v",
        "receiver over dark",
        "V",
        3.8,
        None,
        UNMEASURED,
        0,
        30,
        "decide",
        Provenance.MEASURED,
        counts=False,
    ),
    ConstantSpec(
        "meter_sd", "they vary by", "V", 0.05, None, "from place to place", 0, 5, "decide", counts=False
    ),
)
