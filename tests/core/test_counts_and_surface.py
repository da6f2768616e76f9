"""Counts to volts and units, reflectance, the place of a line."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.calculations import run
from tickstone.core import adc, surface
from tickstone.errors import BadInput


@pytest.mark.parametrize("row", rows("n_adc", "code_to_volts"), ids=str)
def test_codes_to_volts_against_the_table(row: dict) -> None:
    found = run("adc-volts", {"counts": row["code"], "bits": row["bits"], "reference_v": row["Vref"]})
    assert found["volts"] == pytest.approx(row["k Vref/2^N"], rel=1e-8)
    assert found["lsb_mv"] == pytest.approx(row["LSB mV"], rel=1e-8)
    assert found["volts_by_top_code"] == pytest.approx(row["k Vref/(2^N-1)"], rel=1e-8)
    assert found["clipped"] == (row["code"] in (0, 2 ** row["bits"] - 1))


@pytest.mark.parametrize("row", rows("n_adc", "quantisation_noise"), ids=str)
def test_quantisation_against_the_table_and_its_simulation(row: dict) -> None:
    found = adc.quantisation_v(row["bits"], row["Vref"])
    assert found == pytest.approx(row["Q/sqrt 12 V"], rel=1e-8)
    assert found == pytest.approx(row["simulated"], rel=3e-3)  # the table's own tolerance for its simulation


@pytest.mark.parametrize("row", rows("n_adc", "volts_to_code"), ids=str)
def test_volts_to_codes_against_the_table(row: dict) -> None:
    assert float(adc.counts_from_volts(row["V"], row["bits"], row["Vref"])) == row["floor, clamped"]


@given(st.integers(1, 24), st.floats(0.5, 30), st.data())
def test_a_code_survives_the_way_to_volts_and_back(bits: int, reference: float, data: st.DataObject) -> None:
    code = data.draw(st.integers(0, 2**bits - 1))
    assert float(adc.counts_from_volts(float(adc.volts(code, bits, reference)), bits, reference)) == code


@pytest.mark.parametrize(
    ("counts", "full_scale", "bits", "value", "clipped"),
    [
        (16384, 2, 16, 1.0, False),
        (-32768, 250, 16, -250.0, True),
        (32767, 2, 16, 2 * 32767 / 32768, True),
        (-1, 8, 8, -0.0625, False),
    ],
)
def test_signed_counts_by_the_closed_form(
    counts: int, full_scale: float, bits: int, value: float, clipped: bool
) -> None:
    found = run("counts-to-units", {"counts": counts, "full_scale": full_scale, "bits": bits})
    assert (found["value"], found["clipped"]) == (pytest.approx(value), clipped)
    assert found["step"] == pytest.approx(full_scale / 2 ** (bits - 1))


def test_reflectance_is_the_same_either_way_round_and_held_within_bounds() -> None:
    counts = np.array([50.0, 100, 300, 500, 950, np.nan])
    high = surface.reflectance(counts, 100, 900)
    np.testing.assert_allclose(high, [0, 0, 0.25, 0.5, 1, np.nan])
    # white reads low: the same fraction
    np.testing.assert_allclose(surface.reflectance(1000 - counts, 900, 100), high)


@pytest.mark.parametrize(
    ("darkness", "offset", "width", "state"),
    [
        ([0, 0, 1, 0, 0], 0.0, 1, "centre"),
        ([0, 0, 1, 1, 0], 5.0, 2, "right"),
        ([1, 0, 0, 0, 0], -20.0, 1, "left"),
        ([0.1, 0.19, 0, 0, 0], None, 0, "lost"),
        ([1, 1, 1, 1, 1], 0.0, 5, "wide"),
        ([1, 0, 0, 0, 1], 0.0, 2, "broken"),
        ([0, 0.3, 0.9, 0.3, 0], 0.0, 1, "centre"),
        ([1], 0.0, 1, "centre"),
    ],
)
def test_line_positions_by_the_definition(
    darkness: list[float], offset: float | None, width: int, state: str
) -> None:
    found = run("line-position", {"darkness": darkness, "pitch_mm": 10})
    assert found["offset_mm"] == (None if offset is None else pytest.approx(offset))
    assert (found["width_seen"], found["state"]) == (width, state)


@given(st.lists(st.floats(0, 1), min_size=1, max_size=8))
def test_a_row_seen_from_behind_is_mirrored(darkness: list[float]) -> None:
    one, other = (surface.line_positions(d, 12.0) for d in (darkness, darkness[::-1]))
    if int(one.state[0]) == surface.LOST:
        assert math.isnan(other.offset_mm[0])
    else:
        assert other.offset_mm[0] == pytest.approx(-one.offset_mm[0], abs=1e-9)
    assert one.width_seen[0] == other.width_seen[0]


def test_many_rows_at_once_are_each_like_one() -> None:
    rows_of = np.random.default_rng(1).random((50, 5))
    every = surface.line_positions(rows_of, 9.0)
    for row, offset, state in zip(rows_of, every.offset_mm, every.state, strict=True):
        one = surface.line_positions(row, 9.0)
        np.testing.assert_allclose(one.offset_mm[0], offset)
        assert one.state[0] == state


def test_a_code_beyond_the_converter_names_itself() -> None:
    with pytest.raises(BadInput, match="counts must lie between 0 and 1023, but is 1024"):
        adc.volts([3, 1024])


@pytest.mark.parametrize(
    ("counts", "percent", "warned"),
    [(100, 0, False), (99, 0, True), (900, 100, False), (901, 100, True), (500, 50, False)],
)
def test_a_reading_outside_black_and_white_is_held_and_said(
    counts: float, percent: float, warned: bool
) -> None:
    for flip in (False, True):  # a row whose white reads low is the same, turned over
        given = (
            {"counts": 1000 - counts, "black": 900, "white": 100}
            if flip
            else {"counts": counts, "black": 100, "white": 900}
        )
        found = run("reflectance", given)
        assert found["percent"] == pytest.approx(percent)
        assert bool(found["warnings"]) == warned
