"""The stated interval of a conversion holds what the uncertain numbers make of it, for every kind of sensor,
at ordinary readings and at the edges.

Source of the check: JCGM 101:2008 (propagation of distributions): the numbers are drawn here by their own
distributions, another generator and far more draws than the product takes, and each is worked by the kind's
own conversion.
"""

from __future__ import annotations

import math
import re
from dataclasses import replace

import numpy as np
import pytest

from tests.simulated.calibrations import values_of
from tickstone.core.constants import Provenance, Value
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.kinds.base import Ambient, Kind
from tickstone.core.worked import Worked, work

DRAWS = 100_000
LEAST, MOST = 0.925, 0.985  # of the draws that lie within
EDGES = ("level", "hardly off level", "low", "ordinary", "high")


def readings(what: Kind, at: str) -> dict[str, float]:
    """Raw numbers of a kind at an ordinary place or an edge."""
    values = values_of(what.id)
    asks = what.working.asks(values)
    if at in ("level", "hardly off level"):
        if what.family != "tilt":
            pytest.skip("a magnitude of two axes")
        level = dict(what.working.inverse.solve(0.0, values, Ambient()))  # type: ignore[union-attr]
        first = asks[0].name
        return level | {first: level[first] + (0 if at == "level" else 6)}
    share = {"low": 0.03, "high": 0.9}.get(at)
    raw = {ask.name: ask.typical for ask in asks}
    if share is not None:
        low, high = asks[0].slide or (asks[0].low, asks[0].high)
        raw[asks[0].name] = low + share * (high - low)
    return raw


def drawn(what: Kind, raw: dict[str, float]) -> np.ndarray:
    """What many draws of all uncertain numbers give, shape (DRAWS,)."""
    random, values = np.random.default_rng(7), values_of(what.id)
    constants = {
        name: replace(value, value=value.value + random.normal(0, value.sd, DRAWS))
        if value.sd and value.provenance.value != "derived"
        else value
        for name, value in values.items()
    }
    inputs = {name: np.full(DRAWS, number) for name, number in raw.items()}
    for spread in what.working.spreads(raw, values):
        inputs[spread.input] = inputs[spread.input] + random.normal(0, spread.sd, DRAWS)
    with np.errstate(all="ignore"):
        return what.working.read(inputs, constants, Ambient()).values


@pytest.mark.parametrize("at", EDGES)
@pytest.mark.parametrize("kind_id", KINDS)
def test_the_stated_interval_holds_what_the_numbers_make_of_it(kind_id: str, at: str) -> None:
    what = KINDS[kind_id]
    raw = readings(what, at)
    found = work(what, values_of(kind_id), raw, Ambient())
    if found.value is None or not found.sd:
        assert found.value is None or found.interval is not None or not drawn(what, raw).std()
        if found.interval is None:
            return
    assert found.sd is not None
    low, high = found.interval or (found.value - 2 * found.sd, found.value + 2 * found.sd)
    assert low <= found.value <= high
    results = drawn(what, raw)
    if what.working.doubts(found.value, values_of(kind_id)):
        results = results + np.random.default_rng(8).normal(0, doubt(what, found), DRAWS)
    results = results[np.isfinite(results)]
    inside = float(((results >= low) & (results <= high)).mean())
    assert LEAST <= inside <= MOST, (inside, low, high)


def doubt(what: Kind, found: Worked) -> float:
    """What the model leaves out, k = 1."""
    assert found.value is not None
    return math.hypot(*(one.sd for one in what.working.doubts(found.value, values_of(what.id))))


@pytest.mark.parametrize("counts", [0, 6, 60])
def test_a_tilt_near_level_is_no_more_than_its_own_offsets_make(counts: int) -> None:
    """A part that reads 0 g on both level axes may lean by what its offsets hide: truth is drawn, and what
    the part then reads near level is worked."""
    unit, random = KINDS["inertial-unit"], np.random.default_rng(counts)
    values = values_of("inertial-unit")
    offset_sd = values["offset_x"].sd
    assert offset_sd
    found = work(unit, values, {"x": counts, "y": 0, "z": 16384}, Ambient())
    assert found.interval is not None
    leans = random.normal([counts / 16384, 0.0], offset_sd, (DRAWS, 2))  # what is so, by what was read
    truth = np.degrees(np.arctan2(np.hypot(leans[:, 0], leans[:, 1]), 1.0))
    inside = ((truth >= found.interval[0]) & (truth <= found.interval[1])).mean()
    assert 0.94 <= inside <= 0.97
    assert found.interval[1] > 2.4


@pytest.mark.parametrize("kind_id", KINDS)
def test_any_constant_may_have_been_measured(kind_id: str) -> None:
    """Whatever a kind may know, and however surely: a reading is worked, and its interval holds its value."""
    what, values = KINDS[kind_id], values_of(kind_id)
    for spec in what.constants:
        usual = values.get(spec.name)
        if usual is None and re.match(r"(white|black)_s\d", spec.name):
            usual = values[spec.name[:5]]
        number = (
            usual.value if usual else spec.low + 0.4 * (spec.high - spec.low) if spec.default is None else 1.0
        )
        known = Value(
            spec.name,
            spec.label,
            spec.unit,
            number,
            max(abs(number) * 0.01, 1e-3),
            Provenance.MEASURED,
            "here",
        )
        found = work(what, values | {spec.name: known}, {}, Ambient(air_c=20.0))
        if found.value is not None and found.interval is not None:
            assert found.interval[0] <= found.value <= found.interval[1], spec.name
            assert found.interval[0] < found.interval[1], spec.name


@pytest.mark.parametrize("name", ["level_roll", "cross_xz", "cross_zx"])
def test_what_is_uncertain_about_the_mounting_is_in_the_interval(name: str) -> None:
    unit, values = KINDS["inertial-unit"], values_of("inertial-unit")
    sure = {item: replace(value, sd=0.0) for item, value in values.items()}
    spec = unit.specs[name]
    known = Value(name, spec.label, spec.unit, 0.0, 2.0 if spec.unit else 0.03, Provenance.MEASURED, "here")
    level = {"x": 0, "y": 0, "z": 16384}
    found = work(unit, sure | {name: known}, level, Ambient())
    bare = work(unit, sure, level, Ambient())
    assert found.interval is not None
    assert bare.interval is not None
    if name == "cross_zx":  # level, x says nothing: what z has of it makes nothing
        assert found.interval == pytest.approx(bare.interval, rel=0.1)
        return
    reach = 2.0 if spec.unit else math.degrees(math.atan(0.03))
    assert found.interval[1] == pytest.approx(1.96 * reach, rel=0.1)
