"""How sure the place of a line is: rows are simulated with spots, responses and sensors of their own, and
read by the kind."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tickstone.core.constants import Provenance, Values
from tickstone.core.line_shape import centroid_doubt_mm, darkness_of
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Ambient
from tickstone.core.rigs.usual import usual_values
from tickstone.core.worked import Worked, work
from tickstone.errors import BadInput

ROW = kind("line-sensors")
FITS = 120  # rows that are simulated for each case


def row_of(count: int, pitch: float, tape: float) -> Values:
    return usual_values(ROW, values={"sensors": count, "pitch": pitch, "tape": tape})


def calibrated(values: Values, rng: np.random.Generator, white: np.ndarray, black: np.ndarray) -> Values:
    """The constants after white and black of every sensor were measured, ± 1 count."""
    measured = {
        f"{what}_s{i}": replace(
            values[what],
            name=f"{what}_s{i}",
            value=level + rng.normal(0, 1),
            sd=1.0,
            provenance=Provenance.MEASURED,
        )
        for what, levels in (("white", white), ("black", black))
        for i, level in enumerate(levels, 1)
    }
    return dict(values) | measured


def simulated(values: Values, rng: np.random.Generator, measured: bool) -> tuple[float, Worked]:
    """One reading of a row that was made as uncertain as its constants say: where the line was, mm, and what
    was read."""
    count, pitch, tape = int(values["sensors"].value), values["pitch"].value, values["tape"].value
    spot = max(rng.normal(values["spot"].value, values["spot"].sd), 1.0)
    bend = math.exp(rng.uniform(math.log(0.6), math.log(1.6)))
    white, black = (rng.normal(values[what].value, values[what].sd, count) for what in ("white", "black"))
    places = (np.arange(count) - (count - 1) / 2) * pitch
    true = rng.uniform(places[0] - tape / 2, places[-1] + tape / 2)
    dark = darkness_of(np.array([true]), places, spot, tape, bend)[0]
    counts = np.clip(
        np.round(white + (black - white) * dark + rng.normal(0, values["noise"].value, count)), 0, 1023
    )
    known = calibrated(values, rng, white, black) if measured else values
    return true, work(ROW, known, {f"s{i}": float(c) for i, c in enumerate(counts, 1)}, Ambient())


@pytest.mark.slow
@pytest.mark.parametrize("measured", [True, False])
@pytest.mark.parametrize(
    ("count", "pitch", "tape"), [(2, 12.0, 19.0), (3, 12.0, 19.0), (5, 12.0, 19.0), (8, 9.5, 12.0)]
)
def test_the_plus_minus_of_a_line_holds_as_often_as_it_says(
    count: int, pitch: float, tape: float, measured: bool
) -> None:
    """Coverage of ± 2 σ, and its width: σ is what the errors really are, as far as so few rows can tell."""
    rng = np.random.default_rng(count)
    values = row_of(count, pitch, tape)
    found = [simulated(values, rng, measured) for _ in range(FITS)]
    seen = [(true, one.value, one.sd) for true, one in found if one.value is not None and one.sd is not None]
    assert len(seen) > 0.9 * FITS
    errors = np.array([value - true for true, value, _ in seen])
    sds = np.array([sd for _, _, sd in seen])
    assert (np.abs(errors) <= 2 * sds).mean() >= 0.95
    assert 0.8 < np.sqrt((sds**2).mean() / (errors**2).mean()) < 1.5


def test_a_calibrated_row_says_how_far_off_it_may_be_between_two_sensors() -> None:
    """Spots of 7 mm, 12 mm apart: at 1, 2 and 3 mm the centroid is drawn towards the sensor that begins to
    see the tape."""
    values = dict(row_of(5, 12.0, 19.0))
    values["noise"] = replace(values["noise"], value=1.0)
    white, black = np.full(5, 180.0), np.full(5, 760.0)
    known = calibrated(values, np.random.default_rng(1), white, black)
    places = (np.arange(5) - 2) * 12.0
    for true in (0.0, 1.0, 2.0, 3.0, 4.0, 5.0):
        counts = white + (black - white) * darkness_of(np.array([true]), places, 7.0, 19.0)[0]
        found = work(ROW, known, {f"s{i}": float(round(c)) for i, c in enumerate(counts, 1)}, Ambient())
        assert found.value is not None
        assert found.sd is not None
        assert 0.3 < found.sd < 2.5
        assert abs(found.value - true) <= 2 * found.sd
        assert dict(found.shares)["shape of the spots, and gaps between them"] > 0


def test_a_row_of_which_nothing_is_measured_says_that_its_sensors_may_differ() -> None:
    found = work(ROW, row_of(2, 12.0, 19.0), {"s1": 760.0, "s2": 760.0}, Ambient())
    assert found.value == 0.0
    assert dict(found.shares)["unequal sensors"] > 0
    assert found.sd is not None
    assert found.sd > 0.5


@pytest.mark.parametrize("count", range(1, 9))
def test_the_worked_line_begins_with_a_line_under_the_row(count: int) -> None:
    found = work(ROW, row_of(count, 12.0, 19.0), {}, Ambient())
    assert found.valid
    assert found.value is not None
    assert abs(found.value) < 6.0


def test_gaps_between_spots_leave_the_place_open_and_spots_side_by_side_less_so() -> None:
    # a neighbour below a fifth counts for nothing
    assert 1.0 < centroid_doubt_mm(0.0, 5, 12.0, 12.0, 12.0, 0.0) < 2.4
    wide_apart = centroid_doubt_mm(0.0, 5, 60.0, 10.0, 2.0, 0.0)
    assert 2.0 < wide_apart < 6.0  # the tape may lie anywhere over the middle spot
    # no sensor sees enough of it: there is no centroid
    assert centroid_doubt_mm(0.0, 1, 12.0, 2.0, 40.0, 0.0) == 0.0
    with pytest.raises(BadInput, match="spot must be above zero"):
        centroid_doubt_mm(0.0, 5, 12.0, 19.0, 0.0, 0.0)
