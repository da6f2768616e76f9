"""Stopping distance against published tables; what is said to be next."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.rigs import ranger_and_air
from tests.tables import rows
from tickstone.core import decimation
from tickstone.core.constants import ConstantSpec, DerivedSpec, Provenance, Value, settle
from tickstone.core.deciding import stop_distance
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Converted, Moment
from tickstone.core.standing import Facts, standing
from tickstone.core.wiring import checks
from tickstone.errors import BadInput

RANGER = kind("ultrasonic-ranger")


@pytest.mark.parametrize("row", rows("k_motion", "stopping"))
def test_stopping_against_uniform_deceleration(row: dict) -> None:
    found = stop_distance(
        speed_m_s=row["v m/s"],
        sample_s=0,
        reaction_s=row["reaction s"],
        deceleration_m_s2=row["deceleration"],
        gap_mm=0,
    )
    assert found.trip_mm == pytest.approx(1000 * row["total m"], rel=1e-8)
    assert found.parts_mm["braking"] == pytest.approx(1000 * row["braking m"], rel=1e-8)


@pytest.mark.parametrize("row", rows("k_motion", "aashto_stopping_sight_distance"))
def test_stopping_against_the_green_book(row: dict) -> None:
    # AASHTO Green Book table 3-1 (from memory): 2.5 s reaction, 3.4 m/s²; its constants are rounded.
    found = stop_distance(
        speed_m_s=row["V km/h"] / 3.6, sample_s=0, reaction_s=2.5, deceleration_m_s2=3.4, gap_mm=0
    )
    assert found.trip_mm / 1000 == pytest.approx(row["published total m"], rel=0.01)


def test_votes_noise_and_the_bumper_add_up() -> None:
    found = stop_distance(
        speed_m_s=0.4,
        sample_s=0.05,
        votes=2,
        reaction_s=0.05,
        deceleration_m_s2=0.8,
        gap_mm=60,
        sigma_mm=1.5,
        hysteresis_mm=50,
        blind_mm=20,
    )
    assert found.parts_mm == pytest.approx(
        {"reaction": 60, "braking": 100, "gap": 60, "noise": 4.5, "blind": 20}
    )
    assert found.clear_mm - found.trip_mm == pytest.approx(50)


@pytest.mark.parametrize(
    "bad", [{"deceleration_m_s2": 0}, {"speed_m_s": -1}, {"votes": 0}, {"gap_mm": float("nan")}]
)
def test_what_cannot_be_is_refused_by_name(bad: dict) -> None:
    fair = {"speed_m_s": 1, "sample_s": 0.05, "reaction_s": 0.1, "deceleration_m_s2": 1}
    with pytest.raises(BadInput) as refused:
        stop_distance(**{**fair, **bad})
    assert refused.value.path == next(iter(bad))


def facts(**changes) -> Facts:
    base = {
        "sensor": "front-ranger",
        "values": settle(RANGER.constants, RANGER.derived, {}),
        "counted": frozenset({"offset"}),
        "findings": (),
        "connected": True,
        "recording": False,
        "recordings": 1,
        "stones": 0,
        "changed_since_stone": 0,
        "procedures": ("ruler",),
        "decisions": ("obstacle",),
    }
    return Facts(**{**base, **changes})


def next_at(station: str, given: Facts) -> str:
    return next(one.next.action for one in standing(given) if one.station == station)


def test_a_burning_wire_comes_before_everything() -> None:
    rig = ranger_and_air()
    bare = rig.with_wire(rig.wire("air", "data").__class__("air", "data", "", "white"))
    found = standing(facts(findings=checks.check(bare).findings))
    assert {one.next.action for one in found} == {"fix"}
    assert found[0].notch


def test_the_next_thing_follows_what_is_known() -> None:
    assert next_at("watch", facts(connected=False)) == "connect"
    assert next_at("wire", facts(connected=False, unticked=70)) == "go-checklist"
    assert next_at("wire", facts(unticked=70)) != "go-checklist"  # it has power already
    assert next_at("watch", facts(recordings=0)) == "record"
    assert next_at("watch", facts()) == "go-calibrate"
    measured = dict(facts().values)
    offset = measured["offset"]
    measured["offset"] = Value(
        "offset", "offset", "mm", -3, 0.4, Provenance.MEASURED, "ruler", offset.station
    )
    assert next_at("calibrate", facts(values=measured)) == "go-decide"
    measured["trip"] = Value("trip", "trip", "mm", 260, None, Provenance.CHOSEN, "chosen", "decide")
    assert next_at("log", facts(values=measured, changed_since_stone=3)) == "cut-stone"
    measured["trip"] = Value(
        "trip", "trip", "mm", 260, None, Provenance.CHOSEN, "chosen", "decide", stale="offset changed"
    )
    found = {one.station: one for one in standing(facts(values=measured))}
    assert found["decide"].next.sentence.startswith("choose again, obstacle guard: offset changed")
    counted = {one.station: one for one in standing(facts(values=measured, counted=frozenset({"trip"})))}
    assert counted["decide"].notch == "trip no longer holds"
    assert (counted["decide"].settled, counted["decide"].total) == (0, 1)
    assert (found["calibrate"].settled, found["calibrate"].total) == (1, 1)


def test_what_is_done_is_not_asked_for_again() -> None:
    """The ruler is accepted, something is assumed still: the next procedure comes, not the one that is
    done."""
    first, second = "ruler", "air"
    given = facts(procedures=(first, second))
    found = {one.station: one for one in standing(given)}["calibrate"].next
    assert found.details == {"procedure": first}
    found = {one.station: one for one in standing(facts(procedures=(first, second), done=frozenset({first})))}
    assert found["calibrate"].next.details == {"procedure": second}
    both = facts(procedures=(first, second), done=frozenset({first, second}))
    assert next_at("calibrate", both) != "go-calibrate"
    again = {one.station: one for one in standing(facts(procedures=(first,), drafts=((first, 2),)))}[
        "calibrate"
    ].next
    assert (again.label, again.details) == ("Go on", {"procedure": first})


def test_a_derived_constant_gives_way_to_a_measured_one() -> None:
    specs = (
        ConstantSpec("a", "a", "mm", 2.0, None, "sheet", 0, 9),
        ConstantSpec("b", "b", "mm", None, None, "", 0, 9),
    )
    rule = DerivedSpec("b", "b", "mm", "twice a", ("a",), lambda v: (2 * v["a"].value, None))
    assert settle(specs, (rule,), {})["b"].provenance is Provenance.DERIVED
    known = {"b": Value("b", "b", "mm", 5.0, 0.1, Provenance.MEASURED, "ruler")}
    assert settle(specs, (rule,), known)["b"].value == 5.0
    assert "b" not in settle(specs[1:], (rule,), {})


def said(values, codes=None) -> str:
    values = np.asarray(values, float)
    codes = np.where(np.isnan(values), 1, 0).astype(np.int8) if codes is None else np.asarray(codes, np.int8)
    known = settle(RANGER.constants, RANGER.derived, {})
    return RANGER.words(Moment(np.arange(values.size) * 0.05, Converted(values, codes)), known)


def test_the_ranger_speaks_plainly_and_never_says_clear_on_a_dropout() -> None:
    assert said([]) == "No ping yet."
    assert "standing still" in said(np.full(20, 300.0))
    assert "closing at 0.20 m/s" in said(500 - np.arange(20) * 10.0)
    assert "opening" in said(500 + np.arange(20) * 10.0)
    assert "Not the same as clear" in said([300.0] * 10 + [np.nan] * 10)
    assert "Nothing within 4.0 m" in said(np.full(9, 4500.0), [2 + 1] * 9)


@given(
    st.lists(st.one_of(st.floats(-1e6, 1e6), st.just(float("nan"))), min_size=1, max_size=300),
    st.integers(1, 40),
)
def test_decimation_never_loses_a_spike(values: list[float], width: int) -> None:
    x = np.asarray(values)
    low, high = decimation.extremes(x, decimation.bins(len(x), width))
    assert len(low) <= width
    if np.isfinite(x).any():
        assert np.nanmin(low) == np.nanmin(x)
        assert np.nanmax(high) == np.nanmax(x)
    else:
        assert np.isnan(low).all()
