"""Named calculations: the public contract of names, fields and units over the core.

>>> from tickstone.calculations import run
>>> round(run("echo-time", {"distance_mm": 300, "humidity_pct": 0})["echo_us"], 1)
1747.4
"""

from tickstone.calculations import (  # noqa: F401  (fills the registry)
    control,
    counts,
    deciding,
    electrical,
    filters,
    inertial,
    motion,
    motor_halls,
    opinion,
    pulses,
    ranging,
    resistors,
    thresholds,
    triangulation,
    wheels,
)
from tickstone.calculations.registry import CALCULATIONS, listing, run

__all__ = ["CALCULATIONS", "listing", "run"]
