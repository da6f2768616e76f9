"""Colours and E series against IEC tables and the eseries library; LEDs, pull-ups, I2C."""

from __future__ import annotations

import eseries
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.calculations import run
from tickstone.core import resistors
from tickstone.errors import BadInput

SERIES = {name: eseries.ESeries[name] for name in ("E3", "E6", "E12", "E24", "E48", "E96", "E192")}


@pytest.mark.parametrize("name", SERIES)
def test_series_against_the_eseries_library(name: str) -> None:
    theirs = [float(v) for v in eseries.series(SERIES[name])]
    ours = resistors.E_SERIES[name]
    assert [round(v * (10 if theirs[0] == 10 else 100), 6) for v in ours] == pytest.approx(theirs)


@pytest.mark.parametrize("row", rows("b_resistor", "decode_cases"), ids=lambda r: r["bands"])
def test_decoding_against_iec_60062(row: dict) -> None:
    found = run("resistor-decode", {"colours": row["bands"].split()})
    assert found["ohms"] == pytest.approx(row["ohms"], rel=1e-12)
    assert (found["tolerance_pct"], found["ppm_per_k"]) == (row["tolerance_pct"], row["tcr_ppm_per_K"])
    if row["min_ohm"] is not None:
        assert (found["low_ohm"], found["high_ohm"]) == pytest.approx((row["min_ohm"], row["max_ohm"]))


@pytest.mark.parametrize("row", rows("b_resistor", "decode_must_reject"), ids=lambda r: r["why"])
def test_what_no_resistor_carries_is_refused(row: dict) -> None:
    with pytest.raises(BadInput) as refused:
        run("resistor-decode", {"colours": row["bands"].split()})
    assert refused.value.path.startswith("colours")


every_value = st.sampled_from(
    [(name, v, d) for name in resistors.E_SERIES for v in resistors.E_SERIES[name] for d in range(-2, 8)]
)


@given(
    every_value,
    st.sampled_from([3, 4, 5, 6]),
    st.sampled_from(sorted(resistors.TOLERANCES)),
    st.sampled_from(sorted(resistors.COEFFICIENTS)),
)
def test_every_series_value_survives_its_colours(
    value: tuple, bands: int, tolerance: float, ppm: float
) -> None:
    name, digit, decade = value
    ohms = float(f"{digit}e{decade}")
    if name in ("E48", "E96", "E192") and bands < 5:
        bands += 2  # three digits need five bands
    whole = 10 ** (1 if bands < 5 else 2)
    if not 0.001 * whole <= ohms < 1e10 * whole:  # no multiplier is left for it
        with pytest.raises(BadInput, match="ohms"):
            resistors.colour_bands(ohms, tolerance, bands, ppm)
        return
    colours = resistors.colour_bands(ohms, tolerance, bands, ppm)
    assert len(colours) == bands
    back = resistors.decode_bands(colours)
    assert back.ohms == pytest.approx(ohms, rel=1e-12)
    assert back.tolerance_pct == (tolerance if bands > 3 else 20.0)
    assert back.ppm_per_k == (ppm if bands == 6 else None)
    choices = resistors.band_choices(bands)
    assert all(colour in [one for one, _ in place] for colour, place in zip(colours, choices, strict=True))


@given(st.floats(0.5, 9e6), st.sampled_from(list(SERIES)))
def test_nearest_values_against_the_eseries_library(ohms: float, name: str) -> None:
    near, up, down = resistors.nearest_values(ohms, name)
    assert up == pytest.approx(float(eseries.find_greater_than_or_equal(SERIES[name], ohms)), rel=1e-9)
    assert down == pytest.approx(float(eseries.find_less_than_or_equal(SERIES[name], ohms)), rel=1e-9)
    assert near in (up, down)
    assert max(near / ohms, ohms / near) <= max(up / ohms, ohms / down) + 1e-12


@pytest.mark.parametrize("row", rows("b_resistor", "nearest_absolute_versus_ratio_E24"), ids=str)
def test_nearest_is_by_ratio(row: dict) -> None:
    assert run("nearest-value", {"ohms": row["value"]})["nearest_ohm"] == row["ratio rule"]


def test_common_colours_and_values() -> None:
    """Common practice: 220 Ω red-red-brown-gold, 4.7 kΩ yellow-violet-red-gold; one black band is a link."""
    assert run("resistor-code", {"ohms": 220})["colours"] == ["red", "red", "brown", "gold"]
    assert run("resistor-code", {"ohms": 4700})["colours"] == ["yellow", "violet", "red", "gold"]
    assert run("resistor-decode", {"colours": ["black"]})["ohms"] == 0
    assert run("resistor-decode", {"colours": ["brown", "black", "orange", "red"]})["other_way_ohm"] == 23


@pytest.mark.parametrize("row", rows("l_circuits", "led"), ids=str)
def test_led_resistors_against_the_table(row: dict) -> None:
    given = {"supply_v": row["Vs"], "forward_v": row["Vf"], "current_ma": 1000 * row["I A"]}
    if row["verdict"] == "refuse":
        with pytest.raises(BadInput, match="forward_v"):
            run("led-resistor", given)
        return
    found = run("led-resistor", given)
    assert found["exact_ohm"] == pytest.approx(row["R exact"])
    assert found["resistor_ohm"] == row["next E24"]
    assert found["actual_ma"] == pytest.approx(row["actual mA (E24)"], rel=1e-8)
    assert found["power_mw"] == pytest.approx(row["P resistor mW (E24)"], rel=1e-8)


def test_five_leds_on_one_resistor() -> None:
    """Common practice says 22 mA for five infrared LEDs sharing 220 Ω from 5 V; with their own 1.2 V drop it
    is 17 mA."""
    found = run(
        "led-resistor",
        {"supply_v": 5, "forward_v": 1.2, "current_ma": 4, "in_parallel": 5, "resistor_ohm": 220},
    )
    assert found["actual_ma"] == pytest.approx(17.3, abs=0.1)
    assert found["each_ma"] == pytest.approx(found["actual_ma"] / 5)
    assert "unevenly" in found["warnings"][0]
    assert run("led-resistor", {"supply_v": 12, "forward_v": 2, "current_ma": 200})["rating_w"] is None
    assert run("led-resistor", {"supply_v": 5, "forward_v": 2, "current_ma": 20})["rating_w"] == 0.125


@pytest.mark.parametrize("row", rows("l_circuits", "rc"), ids=str)
def test_corners_against_the_table(row: dict) -> None:
    found = run("rc", {"ohms": row["R"], "farads": row["C"]})
    for field, column in (("tau_s", "tau s"), ("rise_s", "rise 10-90 exact"), ("cutoff_hz", "fc Hz")):
        assert found[field] == pytest.approx(row[column], rel=1e-8)
    pulled = run("pull-up", {"ohms": row["R"], "capacitance_pf": row["C"] * 1e12, "supply_v": 5})
    assert pulled["rise_us"] == pytest.approx(found["rise_s"] * 1e6)
    assert pulled["low_ma"] == pytest.approx(5000 / row["R"])


@pytest.mark.parametrize(
    "row", [r for r in rows("l_circuits", "i2c_pullup") if r["mode"] in ("Standard", "Fast")], ids=str
)
def test_i2c_pull_ups_against_um10204(row: dict) -> None:
    given = {"supply_v": row["VDD"], "bus_pf": row["Cb pF"], "mode": row["mode"].lower()}
    if row["verdict"] != "feasible":
        with pytest.raises(BadInput, match="bus_pf"):
            run("i2c-pull-up", given)
        return
    found = run("i2c-pull-up", given)
    assert found["min_ohm"] == pytest.approx(row["Rp min"])
    assert found["max_ohm"] == pytest.approx(row["Rp max (exact ln)"], rel=1e-6)
