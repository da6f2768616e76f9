"""Named calculations: the public contract of names, fields and units over the core.

>>> from tickstone.calculations import run
>>> round(run("echo-time", {"distance_mm": 300, "humidity_pct": 0})["echo_us"], 1)
1747.4
"""

from tickstone.calculations.registry import calculations, find, listing, run

__all__ = ["calculations", "find", "listing", "run"]
