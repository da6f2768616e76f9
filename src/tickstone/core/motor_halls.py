"""Three Hall latches on a brushless motor: spacing, scheme, sequence. Electrical angle = pole pairs ×
mechanical."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_length, check_not_negative, check_whole
from tickstone.errors import BadInput

Numbers = float | npt.NDArray[np.float64]

# Codes 4·H1 + 2·H2 + H3 in forward order; in the 60° scheme the middle sensor is inverted.
SEQUENCES = {"120": (5, 4, 6, 2, 3, 1), "60": (4, 6, 7, 3, 1, 0)}
# Electrical angles of the other two sensors, rising, seen from the first.
LAYOUTS = {"120": ((120.0, 240.0),), "60": ((60.0, 120.0), (60.0, 300.0), (240.0, 300.0))}
NEAR_DEG = 1.0  # electrical
NONE = "none"


@dataclass(frozen=True)
class Spacing:
    """A mechanical spacing of neighbouring sensors that works, with its electrical angle, scheme and arc."""

    mechanical_deg: float
    electrical_deg: float
    scheme: str
    arc_mm: float


def valid_spacings(pole_pairs: int, radius_mm: float = 0.0) -> tuple[Spacing, ...]:
    """All spacings up to 180° at which three sensors give the 120° or the 60° scheme: P·θ ≡ ±120° or ±60°.

    Parameters: pole_pairs, whole, from 1; radius_mm, at which the sensors sit, for the arc of one gap.
    Returns: ascending. Source: Hanselman, Brushless Permanent Magnet Motor Design (from memory).

    >>> [round(s.mechanical_deg, 2) for s in valid_spacings(7) if s.scheme == "120"][:4]
    [17.14, 34.29, 68.57, 85.71]
    """
    if check_whole(pole_pairs, 1, "pole_pairs") > 1000:
        raise BadInput(f"pole_pairs must be at most 1000, not {pole_pairs}.", "pole_pairs")
    check_not_negative(radius_mm, "radius_mm")
    spacings = []
    for sixth in range(1, 3 * pole_pairs + 1):  # P·θ = 60°·sixth; θ up to 180°
        part = sixth % 6
        if part in (0, 3):
            continue
        mechanical = 60.0 * sixth / pole_pairs
        scheme = "120" if part in (2, 4) else "60"
        spacings.append(Spacing(mechanical, 60.0 * part, scheme, math.radians(mechanical) * radius_mm))
    return tuple(spacings)


def _scheme(electrical_deg: float, tolerance_deg: float = NEAR_DEG) -> str:
    for scheme, angles in (("120", (120.0, 240.0)), ("60", (60.0, 300.0))):
        if any(abs(_turned(electrical_deg - angle)) <= tolerance_deg + 1e-9 for angle in angles):
            return scheme
    return NONE


def _turned(degrees: float) -> float:
    """An angle within −180…180°."""
    return (degrees + 180.0) % 360.0 - 180.0


@dataclass(frozen=True)
class SpacingCheck:
    """Whether a spacing works, the nearest one that does, and what a placement error is worth
    electrically."""

    electrical_deg: float
    scheme: str
    nearest_valid_deg: float
    electrical_error_deg: float

    @property
    def valid(self) -> bool:
        """True when either scheme fits."""
        return self.scheme != NONE


def check_spacing(pole_pairs: int, spacing_deg: float, placement_error_deg: float = 1.0) -> SpacingCheck:
    """Judge a mechanical spacing of three sensors.

    Parameters: pole_pairs; spacing_deg, mechanical, above 0 to 180; placement_error_deg, mechanical.
    Returns: SpacingCheck; a scheme fits within one electrical degree, and the nearest is over both schemes.

    >>> check_spacing(7, 60).scheme
    '60'
    """
    if not 0 < spacing_deg <= 180:
        raise BadInput(f"spacing_deg must lie above 0 and up to 180, but is {spacing_deg:g}.", "spacing_deg")
    check_not_negative(placement_error_deg, "placement_error_deg")
    spacings = valid_spacings(pole_pairs)
    electrical = (pole_pairs * spacing_deg) % 360.0
    nearest = min(spacings, key=lambda spacing: abs(spacing.mechanical_deg - spacing_deg)).mechanical_deg
    return SpacingCheck(electrical, _scheme(electrical), nearest, pole_pairs * placement_error_deg)


def layout(
    pole_pairs: int, angles_deg: Sequence[float], tolerance_deg: float = NEAR_DEG
) -> tuple[str, list[float]]:
    """Scheme of three sensors at any mechanical angles, and their electrical angles from the first.

    Parameters: pole_pairs; angles_deg, three; tolerance_deg, electrical.
    Returns: ("120", "60" or "none", three angles 0 to 360°). In any order: what counts is that the electrical
    angles are 120° apart all round, or 60° apart side by side, each within the tolerance of its place as seen
    from the first.

    >>> layout(7, [0, 17.142857, 34.285714])[0]
    '120'
    """
    check_whole(pole_pairs, 1, "pole_pairs")
    if len(angles_deg) != 3:
        raise BadInput(f"angles_deg must hold three angles, not {len(angles_deg)}.", "angles_deg")
    check_not_negative(tolerance_deg, "tolerance_deg")
    electrical = [(pole_pairs * (angle - angles_deg[0])) % 360.0 for angle in angles_deg]
    others = sorted(electrical[1:])
    for scheme, places in LAYOUTS.items():
        for wanted in places:
            off = (abs(_turned(angle - want)) for angle, want in zip(others, wanted, strict=True))
            if all(item <= tolerance_deg + 1e-9 for item in off):
                return scheme, electrical
    return NONE, electrical


@dataclass(frozen=True)
class Decoded:
    """Steps of 60 electrical degrees, and what did not fit."""

    net_steps: int
    invalid_codes: int
    skipped: int

    @property
    def direction(self) -> str:
        """forward, reverse or none."""
        return "forward" if self.net_steps > 0 else "reverse" if self.net_steps < 0 else NONE


def sector_steps(
    codes: npt.ArrayLike, scheme: str = "120"
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.bool_]]:
    """Steps between successive valid codes, −2 to 3 sectors, and which codes are valid.

    Parameters: codes, shape (n,), whole, 0 to 7; scheme. Returns: steps, shape (valid − 1,); valid, shape
    (n,). Raises: BadInput for ``codes`` or ``scheme``.
    """
    if scheme not in SEQUENCES:
        raise BadInput(f"scheme must be 120 or 60, not {scheme}.", "scheme")
    x = np.asarray(codes)
    check_length(x, 1, "codes")
    if bool((x < 0).any() or (x > 7).any() or (x != np.round(x)).any()):
        raise BadInput("codes must be whole numbers from 0 to 7 (4·H1 + 2·H2 + H3).", "codes")
    place = np.full(8, -1, np.int64)
    place[list(SEQUENCES[scheme])] = np.arange(6)
    sectors = place[x.astype(np.int64)]
    valid = sectors >= 0
    return (np.diff(sectors[valid]) + 2) % 6 - 2, np.asarray(valid)


def decode(codes: npt.ArrayLike, scheme: str = "120") -> Decoded:
    """Follow a recording of Hall codes: net steps, invalid codes (dropped) and jumps of two or three sectors.

    >>> decode([5, 4, 6, 2, 3, 1, 5]).net_steps
    6
    """
    steps, valid = sector_steps(codes, scheme)
    single = np.abs(steps) == 1
    return Decoded(int(steps[single].sum()), int((~valid).sum()), int((~single & (steps != 0)).sum()))


def rpm_from_edges(edges_per_s: Numbers, pole_pairs: int) -> Numbers:
    """Rpm from the edges of all three sensors: ``60·edges/(6·P)``.

    >>> rpm_from_edges(700.0, 7)
    1000.0
    """
    return 10.0 / pole_pairs * edges_per_s
