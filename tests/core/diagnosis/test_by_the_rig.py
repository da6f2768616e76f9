"""What only a rig can tell is wrong: which way dark goes, what the battery has, where the ends of a range
are."""

from __future__ import annotations

import numpy as np
import pytest

from tests.rigs import part, rig
from tickstone.core.diagnosis.examine import examine
from tickstone.core.diagnosis.finding import Finding
from tickstone.core.diagnosis.fitted import stream_of
from tickstone.core.diagnosis.record import Array, Record, Truth
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig, Supply
from tickstone.core.rigs.usual import usual_values

PALE, DARK = 150.0, 720.0  # counts, as a row reads whose white is low


def findings(of: Rig, columns: dict[str, Array], dt_s: float, *truths: Truth, **said: float) -> list[Finding]:
    """What is wrong with readings of the rig's one sensor."""
    (sensor,) = of.sensors
    values = usual_values(kind(sensor.kind), of, sensor, said)
    times = np.arange(next(iter(columns.values())).size) * dt_s
    return examine(Record((stream_of(of, sensor, times, columns, values, 4e-6),), truths))


def weaving(sensors: int, dark: float, pale: float, rows: int = 2000, wide: float = 9.0) -> dict[str, Array]:
    """A row of 12 mm pitch over a line that weaves below it."""
    random = np.random.default_rng(5)
    t = np.arange(rows) * 0.01
    at = 14 * np.sin(2 * np.pi * t / 3.1) + 6 * np.sin(2 * np.pi * t / 1.3)
    place = (np.arange(sensors) - (sensors - 1) / 2) * 12
    over = np.exp(-(((at[None] - place[:, None]) / wide) ** 2))
    seen = pale + (dark - pale) * over + random.normal(0, 3, over.shape)
    return {f"s{i + 1}": np.round(row) for i, row in enumerate(seen)}


ROW = rig(part("line-sensors", "row", count=5))


@pytest.mark.parametrize("white_low", [True, False])
def test_a_row_that_has_dark_and_pale_changed_over_is_known_by_its_narrow_line(white_low: bool) -> None:
    ends = {"white": 100.0, "black": 800.0} if white_low else {"white": 800.0, "black": 100.0}
    dark, pale = (DARK, PALE) if white_low else (PALE, DARK)
    assert not any(one.kind == "inverted" for one in findings(ROW, weaving(5, dark, pale), 0.01, **ends))
    (wrong,) = (one for one in findings(ROW, weaving(5, pale, dark), 0.01, **ends) if one.kind == "inverted")
    assert wrong.confidence == pytest.approx(0.95)
    assert "a line is narrow" in wrong.evidence


@pytest.mark.parametrize(
    ("pale", "wide", "known"), [(400.0, 9.0, True), (280.0, 9.0, False), (DARK, 60.0, False)]
)
def test_it_takes_contrast_and_a_line_that_is_narrow(pale: float, wide: float, known: bool) -> None:
    """Dark nearly everywhere: with little between dark and pale, or a pale place as wide as the row, nothing
    is said."""
    seen = findings(ROW, weaving(5, PALE, pale, wide=wide), 0.01, white=100.0, black=800.0)
    assert any(one.kind == "inverted" for one in seen) is known


@pytest.mark.parametrize(
    ("sensors", "words"),
    [(2, "while s2 beside it goes on moving"), (3, "while s2 and s3 beside it go on moving")],
)
def test_one_of_a_row_that_never_moves_is_told_by_those_beside_it(sensors: int, words: str) -> None:
    of = rig(part("line-sensors", "row", count=sensors))
    columns = weaving(sensors, DARK, PALE)
    stuck = columns | {"s1": np.full(2000, 412.0)}
    assert [words in one.evidence for one in findings(of, stuck, 0.01) if one.kind == "stuck"] == [True]
    assert not any(one.kind == "stuck" for one in findings(of, columns, 0.01))


@pytest.mark.parametrize(
    ("white", "black", "words"), [(100, 800, "must read high"), (800, 100, "must read low")]
)
def test_a_whole_row_that_answers_the_wrong_way_at_marks(white: float, black: float, words: str) -> None:
    random = np.random.default_rng(6)
    marks = Truth(0.0, 2.9, "ground"), Truth(3.0, 5.9, "line")
    step = np.repeat([0.0, 300.0], 150)
    for sign in (1, -1):
        columns = {f"s{i}": np.round(450 + sign * step + random.normal(0, 4, 300)) for i in range(1, 6)}
        wrong = [
            one
            for one in findings(ROW, columns, 0.02, *marks, white=white, black=black)
            if one.kind == "inverted"
        ]
        as_wired = sign == (1 if white < black else -1)
        assert [words in one.evidence for one in wrong] == ([] if as_wired else [True])
        assert all(
            one.confidence == pytest.approx(0.963) and "the whole row goes" in one.evidence for one in wrong
        )


@pytest.mark.parametrize(
    ("volts", "sure"),
    [(7.4, None), (6.4, None), (8.4, None), (3.7, 0.952), (14.8, 0.952), (2.0, 0.967), (29.6, 0.967)],
)
def test_a_battery_that_says_what_its_supply_never_has(volts: float, sure: float | None) -> None:
    """Half and twice are one octave off; from an octave and a half on it is as sure as can be."""
    of = rig(part("battery-divider", "gauge"), supplies=(Supply("battery", 7.4, 8.4, 3000.0),))
    known = usual_values(kind("battery-divider"), of, of.sensors[0])
    share = known["bottom"].value / (known["top"].value + known["bottom"].value)
    counts = np.round(volts * share / 5.0 * 1024 + np.random.default_rng(7).normal(0, 1, 300))
    wrong = [one for one in findings(of, {"counts": counts}, 0.2) if one.kind == "wrong-scale"]
    assert [round(one.confidence, 3) for one in wrong] == ([] if sure is None else [sure])
