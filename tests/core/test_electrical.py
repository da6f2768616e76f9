"""Dividers and resistors against IEC tables (tests/reference)."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.core import electrical, resistors
from tickstone.errors import BadInput


@pytest.mark.parametrize("row", rows("l_circuits", "divider"))
def test_divider_against_kirchhoff(row: dict) -> None:
    found = electrical.divider(row["Vin"], row["R1"], row["R2"], 5, row["R load"])
    assert found.vout_v == pytest.approx(
        row["Vout loaded"] if row["R load"] else row["Vout unloaded"], rel=1e-8
    )
    assert found.source_ohm == pytest.approx(row["Thevenin R"], rel=1e-8)
    assert found.current_ma == pytest.approx(row["source current mA"], rel=1e-8)


@pytest.mark.parametrize("row", rows("l_circuits", "divider_tolerance"))
def test_divider_corners(row: dict) -> None:
    found = electrical.divider(row["Vin"], row["R1"], row["R2"], row["tolerance %"])
    assert (found.vout_v, found.vout_min_v, found.vout_max_v) == pytest.approx(
        (row["nominal"], row["worst low"], row["worst high"]), rel=1e-8
    )


@pytest.mark.parametrize("row", rows("b_resistor", "nearest_preferred"))
def test_e24_neighbours_against_the_eseries_library(row: dict) -> None:
    _, up, down = resistors.nearest_values(row["value"])
    assert (up, down) == (row["E24 >="], row["E24 <="])


def test_colours_of_common_resistors() -> None:
    # IEC 60062; the examples are common practice
    assert resistors.colour_bands(220) == ("red", "red", "brown", "gold")
    assert resistors.colour_bands(4700) == ("yellow", "violet", "red", "gold")
    assert resistors.colour_bands(4700, 1, 5) == ("yellow", "violet", "black", "brown", "brown")
    for bad in (0, 123.4, 1e12):
        with pytest.raises(BadInput):
            resistors.colour_bands(bad)


@given(st.sampled_from(resistors.series_values("E24", 1, 9.1e6)))
def test_every_e24_value_has_colours_that_mean_it(ohms: float) -> None:
    *digits, multiplier, _ = resistors.colour_bands(ohms)
    value = int("".join(str(resistors.DIGITS.index(d)) for d in digits))
    power = next(p for p, colour in resistors.MULTIPLIERS.items() if colour == multiplier)
    assert value * 10.0**power == pytest.approx(ohms, rel=1e-9)


@given(st.floats(4, 6), st.floats(2.6, 3.6), st.floats(1.0, 2.2))
def test_every_designed_divider_holds_over_tolerance(vin: float, limit: float, high: float) -> None:
    values = resistors.series_values("E24", 100, 1e6)
    try:
        found = electrical.design_divider(vin, limit, high)
    except BadInput:
        some = [electrical.divider(vin, top, bottom) for top in values[24:72:3] for bottom in values[24:72:3]]
        assert not [d for d in some if d.vout_max_v <= limit and d.vout_min_v >= high and d.current_ma <= 1]
        return
    for one in found:
        assert one.vout_max_v <= limit + 1e-9
        assert one.vout_min_v >= high - 1e-9
        assert one.current_ma <= 1.0 + 1e-9
    margins = [round(min(limit - d.vout_max_v, d.vout_min_v - high), 8) for d in found]
    assert margins == sorted(margins, reverse=True)
