"""Constants of the whole vehicle that are kept at the sensor of its wheels, and what a steady run says of
magnets."""

from __future__ import annotations

from tickstone.core.constants import ConstantSpec, Provenance
from tickstone.core.rigs.kinds.parts import UNMEASURED
from tickstone.core.rigs.kinds.told import by_geometry

MOST_GAPS = 8
DRIVE_PROCEDURES = ("dead-band", "straight-run", "squares", "motor-lag")

LOAD = ConstantSpec(
    "load", "load carried", "kg", None, None, "", 0, 5000, "calibrate", Provenance.MEASURED, counts=False
)
DRIVE = (
    LOAD,
    ConstantSpec(
        "track",
        "track",
        "mm",
        150.0,
        3.0,
        UNMEASURED,
        10,
        5000,
        "calibrate",
        Provenance.MEASURED,
        counts=False,
        from_rig=by_geometry("track_mm"),
    ),
    ConstantSpec(
        "mismatch",
        "right faster by",
        "%",
        None,
        None,
        "",
        -50,
        50,
        "calibrate",
        Provenance.MEASURED,
        counts=False,
    ),
    ConstantSpec(
        "dead_band_left",
        "left begins at",
        "%",
        None,
        None,
        "",
        0,
        100,
        "calibrate",
        Provenance.MEASURED,
        counts=False,
    ),
    ConstantSpec(
        "dead_band_right",
        "right begins at",
        "%",
        None,
        None,
        "",
        0,
        100,
        "calibrate",
        Provenance.MEASURED,
        counts=False,
    ),
    ConstantSpec(
        "motor_lag",
        "motor lag",
        "s",
        None,
        None,
        "",
        0.0001,
        10,
        "calibrate",
        Provenance.MEASURED,
        ("drive",),
        counts=False,
    ),
    ConstantSpec(
        "top_speed",
        "fastest",
        "mm/s",
        None,
        None,
        "",
        1,
        20_000,
        "calibrate",
        Provenance.MEASURED,
        ("drive",),
        counts=False,
    ),
)

GAPS = tuple(
    ConstantSpec(f"gap_{i}", f"gap {i}", "turn", None, None, "", 0, 1, "calibrate", counts=False)
    for i in range(1, MOST_GAPS + 1)
)
