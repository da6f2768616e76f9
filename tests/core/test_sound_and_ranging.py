"""Sound and ranging against published values (tests/reference) and against themselves."""

from __future__ import annotations

import math

import numpy as np
import pytest
from CoolProp.CoolProp import HAPropsSI
from hypothesis import given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.core import ranging, sound
from tickstone.errors import BadInput


@pytest.mark.parametrize("row", rows("a_sound", "speed_of_sound_m_s"), ids=lambda row: f"{row['t_C']} °C")
def test_speed_of_sound_against_published_formulas_and_coolprop(row: dict) -> None:
    t = row["t_C"]
    # M 28.9647 here, 28.96442 there
    assert sound.speed_of_sound_ideal(t) == pytest.approx(row["ideal gas"], rel=2e-5)
    assert sound.speed_of_sound_linear(t) == pytest.approx(row["331.3+0.606t"], rel=1e-9)
    for humidity in (0, 50, 100):
        cramer = row[f"Cramer {humidity}%"]
        if cramer is not None:  # J. Acoust. Soc. Am. 93 (1993) 2510
            assert sound.speed_of_sound_cramer(t, humidity) == pytest.approx(cramer, rel=1e-6)
            assert sound.speed_of_sound_cramer(t, humidity) == pytest.approx(
                row[f"CoolProp humid {humidity}%"], rel=3e-4
            )


@pytest.mark.parametrize("row", rows("a_sound", "us_standard_atmosphere_1976"))
def test_ideal_gas_against_the_standard_atmosphere(row: dict) -> None:
    # US Standard Atmosphere 1976, from memory; its R and M differ in the fifth figure.
    assert sound.speed_of_sound_ideal(row["T_K"] - 273.15) == pytest.approx(
        row["published m/s (from memory)"], rel=5e-5
    )


@pytest.mark.parametrize("row", rows("a_sound", "echo_time_to_distance_cm"))
def test_distance_against_coolprop(row: dict) -> None:
    speed = sound.speed_of_sound_cramer(row["t_C"], 50.0)
    found = ranging.distances_from_echoes(row["round-trip us"], speed, min_mm=0, max_mm=1e5).distance_mm[0]
    assert found == pytest.approx(10 * row["CoolProp 50%RH cm"], rel=1.5e-3)


@given(st.floats(0, 30), st.floats(0, 100), st.floats(90, 102))
def test_speed_of_sound_against_coolprop(temperature: float, humidity: float, pressure: float) -> None:
    """ASHRAE RP-1485 humid air as CoolProp computes it; Cramer's formula is stated to 300 ppm."""
    air = ("T", temperature + 273.15, "P", pressure * 1000, "R", humidity / 100)
    theirs = HAPropsSI("speed_of_sound", *air)
    assert sound.speed_of_sound_cramer(temperature, humidity, pressure) == pytest.approx(theirs, rel=6e-4)


def test_wrong_formulas_are_told_apart() -> None:
    humid = sound.speed_of_sound_cramer(30.0, 100.0)
    assert humid > sound.speed_of_sound_cramer(30.0, 0.0) + 2
    # common practice: 0.17 %/K
    assert sound.sensitivity_m_s_per_k(20.0) / 343.4 == pytest.approx(0.0017, rel=0.02)


@given(st.floats(-20, 60), st.floats(0, 100))
def test_temperature_is_the_inverse_of_speed(temperature: float, humidity: float) -> None:
    speed = float(sound.speed_of_sound_cramer(temperature, humidity))
    found = sound.temperatures_of_cramer_speeds([speed], humidity, -20.001, 60.001)[0]
    assert found == pytest.approx(temperature, abs=1e-6)


def test_a_speed_that_no_air_has_has_no_temperature() -> None:
    assert np.isnan(sound.temperatures_of_cramer_speeds([300.0], 50.0, -20, 60)[0])


@given(st.floats(21, 3999), st.floats(300, 380), st.floats(-50, 20))
def test_echo_and_distance_are_inverses(distance: float, speed: float, offset: float) -> None:
    echo = ranging.echo_from_distance_us(distance, speed, offset)
    back = ranging.distances_from_echoes(echo, speed, offset)
    assert back.distance_mm[0] == pytest.approx(distance, rel=1e-12)
    assert back.valid[0]


def test_what_is_no_distance_says_why() -> None:
    echoes = np.array([0.0, np.nan, 50.0, 1457.0, 25_000.0, 38_000.0])
    before = echoes.copy()
    found = ranging.distances_from_echoes(echoes, 343.0)
    assert found.reason.tolist() == [
        ranging.DROPOUT,
        ranging.DROPOUT,
        ranging.TOO_NEAR,
        ranging.OK,
        ranging.TOO_FAR,
        ranging.DROPOUT,
    ]
    assert np.isnan(found.distance_mm[[0, 1, 5]]).all()
    np.testing.assert_array_equal(echoes, before)
    assert ranging.distances_from_echoes([], 343.0).distance_mm.size == 0


def test_a_ruler_calibration_does_not_switch_temperature_off() -> None:
    warm = float(ranging.carried_speed_m_s(345.0, 18.0, 34.0, 0.0))
    # common practice: 2.6 % short from 18 to 34 °C
    assert 1 - 345.0 / warm == pytest.approx(0.026, abs=0.001)
    assert float(ranging.carried_speed_m_s(345.0, 18.0, 18.0, 50.0)) == pytest.approx(345.0)


@given(
    st.floats(320, 360),
    st.floats(-30, 10),
    st.lists(st.floats(50, 3000), min_size=3, max_size=20, unique=True),
)
def test_a_noiseless_ruler_gives_its_line_back(speed: float, offset: float, places: list[float]) -> None:
    if max(places) - min(places) < 10:
        return
    echoes = [2000 * (place - offset) / speed for place in places]
    fit = ranging.fit_ruler(places, echoes)
    assert fit.speed_m_s == pytest.approx(speed, rel=1e-6)
    assert fit.offset_mm == pytest.approx(offset, abs=1e-3 * max(places) / (max(places) - min(places)))


def test_ruler_sds_against_numpy_and_monte_carlo() -> None:
    """numpy.polyfit gives the line's covariance; a Monte Carlo run gives the sds of what is derived from
    it."""
    random = np.random.default_rng(4)
    true = np.array([150.0, 250, 400, 600, 900])
    speeds, offsets, claimed = [], [], []
    for _ in range(4000):
        echo = 2000 * (true + 3) / 345 + random.normal(0, 4, true.size)
        fit = ranging.fit_ruler(true, echo)
        speeds.append(fit.speed_m_s)
        offsets.append(fit.offset_mm)
        claimed.append((fit.speed_sd**2, fit.offset_sd**2, fit.covariance))
    slope, intercept = np.polyfit(true, echo, 1)
    assert fit.speed_m_s == pytest.approx(2000 / slope, rel=1e-9)
    assert fit.offset_mm == pytest.approx(-intercept / slope, rel=1e-6)
    var_speed, var_offset, covariance = np.mean(claimed, axis=0)
    assert np.std(speeds) == pytest.approx(math.sqrt(var_speed), rel=0.05)
    assert np.std(offsets) == pytest.approx(math.sqrt(var_offset), rel=0.05)
    assert np.cov(speeds, offsets)[0, 1] == pytest.approx(covariance, rel=0.1)


@pytest.mark.parametrize(
    ("true", "echo", "said"),
    [
        ([100], [600], "at least 2"),
        ([100, 100], [600, 601], "two different"),
        ([100, 200], [600, 500], "longer echoes"),
        ([100, 200], [0, 500], "dropout"),
        ([100, math.nan], [600, 900], "finite"),
        ([-1, 200], [600, 900], "negative"),
    ],
)
def test_pairs_that_cannot_be_are_refused(true: list, echo: list, said: str) -> None:
    with pytest.raises(BadInput, match=said) as refused:
        ranging.fit_ruler(true, echo)
    assert refused.value.path == "pairs"


def test_two_pairs_have_no_known_uncertainty() -> None:
    fit = ranging.fit_ruler([100, 200], [600, 1180])
    assert (fit.speed_sd, fit.offset_sd, fit.residual_sd_mm) == (None, None, None)


def test_beam_and_ping_against_common_practice() -> None:
    assert ranging.longest_wait_us(4000, 343.2) / 1000 == pytest.approx(23.3, abs=0.05)
    assert ranging.floor_from_mm(118, 15) == pytest.approx(896, abs=1)
    assert ranging.tick_sd_us(6**0.5) == pytest.approx(1.0)


def test_rules_of_thumb_are_the_arithmetic_that_people_type() -> None:
    """For an echo of 5800 µs, by hand: half the way at so many m/s; ÷ 2 ÷ 29.1 and ÷ 58 in cm; ÷ 148 in
    inches."""
    echo_us = 5800
    by_hand_mm = [echo_us / 2000 * speed for speed in (340, 341, 343)]
    by_hand_mm += [10 * echo_us / 2 / 29.1, 10 * echo_us / 58, 25.4 * echo_us / 148]
    assert [rule.speed_m_s * echo_us / 2000 for rule in ranging.RULES] == pytest.approx(by_hand_mm)


def test_the_band_of_a_fit_is_the_law_of_propagation() -> None:
    """JCGM 100:2008, 5.2.2 in matrices: the variance is J C Jᵀ, here with slopes taken by difference instead
    of by formula."""
    fit = ranging.RulerFit(345.0, 0.9, 4.0, 2.5, 1.2, 1.0, ())
    matrix = np.array([[fit.speed_sd**2, fit.covariance], [fit.covariance, fit.offset_sd**2]])

    def echo_us(place_mm: float, speed_m_s: float, offset_mm: float) -> float:
        return 2 * (place_mm - offset_mm) / 1000 / speed_m_s * 1e6

    for place, echo, plus_minus in ranging.fit_band(fit, [0.0, 120.0, 900.0, 4000.0]):
        by_speed = (echo_us(place, 345.001, 4.0) - echo_us(place, 344.999, 4.0)) / 0.002
        by_offset = (echo_us(place, 345.0, 4.001) - echo_us(place, 345.0, 3.999)) / 0.002
        slopes = np.array([by_speed, by_offset])
        assert echo == pytest.approx(echo_us(place, 345.0, 4.0))
        assert plus_minus == pytest.approx(2 * np.sqrt(slopes @ matrix @ slopes), rel=1e-4)
    two = ranging.RulerFit(345.0, None, 4.0, None, None, None, ())
    assert [spread for _, _, spread in ranging.fit_band(two, [100.0])] == [0.0]


@pytest.mark.parametrize("temperature_c", [-60.0, -20.0, 0.0, 45.0, 80.0, 100.0])
@pytest.mark.parametrize("pressure_kpa", [30.0, 101.325, 120.0])
def test_air_that_is_taken_is_air_in_which_the_formula_holds(
    temperature_c: float, pressure_kpa: float
) -> None:
    """Where the formula is not refused it follows dry air as an ideal gas (ISO 2533) to 0.25 %, and
    CoolProp's humid air to 0.6 %."""
    sound.check_cramer(temperature_c, 0.0, pressure_kpa)
    dry = float(sound.speed_of_sound_cramer(temperature_c, 0.0, pressure_kpa))
    assert dry == pytest.approx(float(sound.speed_of_sound_ideal(temperature_c)), rel=2.5e-3)
    wettest = 0.0
    for humidity in (20.0, 50.0, 100.0):
        if sound.water_share(temperature_c, humidity, pressure_kpa) <= sound.CRAMER_MOST_WATER:
            sound.check_cramer(temperature_c, humidity, pressure_kpa)
            wettest = humidity
    if wettest and temperature_c >= 0:
        state = ("T", temperature_c + 273.15, "P", pressure_kpa * 1000, "R", wettest / 100)
        assert sound.speed_of_sound_cramer(temperature_c, wettest, pressure_kpa) == pytest.approx(
            HAPropsSI("speed_of_sound", *state), rel=6e-3
        )


@pytest.mark.parametrize(
    ("air", "field"),
    [
        ((120.0, 0.0, 101.0), "temperature_c"),
        ((-80.0, 0.0, 101.0), "temperature_c"),
        ((20.0, 101.0, 101.0), "humidity_pct"),
        ((20.0, 0.0, 100_000.0), "pressure_kpa"),
        ((20.0, 0.0, 10.0), "pressure_kpa"),
        ((95.0, 100.0, 101.0), "temperature_c"),  # steam, not air
    ],
)
def test_air_in_which_the_formula_says_nothing_is_refused(air: tuple[float, ...], field: str) -> None:
    with pytest.raises(BadInput) as error:
        sound.check_cramer(*air)
    assert error.value.path == field


def test_air_beyond_what_the_formula_was_stated_for_is_warned_of() -> None:
    assert sound.check_cramer(20.0, 50.0, 101.325) == []
    assert len(sound.check_cramer(35.0, 0.0, 101.325)) == 1
    assert "60 kPa is outside" in sound.check_cramer(20.0, 0.0, 60.0)[0]
    wet = sound.check_cramer(45.0, 100.0, 101.325)
    assert [("°C" in text, "water" in text) for text in wet] == [(True, False), (False, True)]
    low, high = sound.LINE_RANGE_C
    for edge in (low, high):
        assert sound.speed_of_sound_linear(edge) == pytest.approx(
            float(sound.speed_of_sound_ideal(edge)), rel=1.5e-3
        )
