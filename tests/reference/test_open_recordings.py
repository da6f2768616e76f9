"""Open recordings taken in as files and checked against what they are known to hold. Sources:
data/README.md."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from scipy.optimize import curve_fit

from tests.rigs import part, rig
from tests.tables import rows
from tickstone.actions import importing, lanes
from tickstone.actions.reading import Converter
from tickstone.core import pulses
from tickstone.core.rigs.meanings import CHANNEL, NOTHING, Meaning
from tickstone.formats.mapping import OTHER
from tickstone.store import recordings, rigs, samples
from tickstone.store.database import Database

DATA = Path(__file__).parent / "data"
STEPS_A_TURN = 1024


@pytest.fixture
def roller(database: Database) -> Database:
    with database.transaction() as session:
        made = rig(part("rotary-encoder", "roller"), part("ultrasonic-ranger", "ranger"))
        rigs.new_rig(session, "roller", made, "for the open data")
    return database


def taken_in(database: Database, name: str, **said: Meaning) -> int:
    return importing.take_in(database, "roller", DATA / name, importing.Wish(name, said, rate_hz=1.0))


def test_a_wheel_encoder_turns_as_its_count_says(roller: Database) -> None:
    """The same wheel as a value change dump of two wires and as a table of counts: steps, turns and RPM
    agree."""
    dump = taken_in(roller, "rotary_encoder_real_us_A.vcd")
    table = np.loadtxt(DATA / "rotary_encoder_real_us_A.csv", delimiter=",", skiprows=1)
    with roller.transaction() as session:
        found = recordings.recording(session, dump)
        stream = found.stream_of("roller")
        times, levels = samples.rows_between(session, stream)
        converter = Converter(session, found, "roller")
        _, more = converter.rows(times, levels, {})
        shown = {
            one.id: one
            for one in lanes.everything(rigs.rig_of_revision(session, found.rig_revision_id), found)
        }
        read = lanes.read_outs(session, dump, ["roller.a", "roller.b"], 0, found.duration_s)
    # the dump tells the longest stretch of the table without a jump of the count, where the count changes
    whole = np.split(table, np.flatnonzero(np.abs(np.diff(table[:, 1])) > 1) + 1)
    longest = max(whole, key=len)
    told = longest[np.concatenate([[True], np.diff(longest[:, 1]) != 0])]
    np.testing.assert_array_equal(times, told[:, 0] - told[0, 0])
    truth = told[:, 1]
    steps = next(one.values for one in more if one.name == "count")
    sign = 1 if steps[1] - steps[0] == truth[1] - truth[0] else -1  # which way round is a matter of wiring
    np.testing.assert_array_equal(steps - steps[0], sign * (truth - truth[0]))
    turns = np.abs(np.diff(steps)).sum() / STEPS_A_TURN
    assert turns == np.abs(np.diff(truth)).sum() / STEPS_A_TURN > 0.25
    rpm = pulses.rpm_at_edges(times.astype(float), STEPS_A_TURN)[1:]
    by_hand = 60e6 / STEPS_A_TURN / np.diff(told[:, 0])
    np.testing.assert_allclose(rpm, by_hand, rtol=1e-12)
    over_time = np.average(rpm, weights=np.diff(times))
    assert over_time == pytest.approx(60 * turns / found.duration_s)
    with roller.transaction() as session:  # a count is counted from the beginning, wherever one looks
        late = found.duration_s / 2
        (lane,) = lanes.lanes(session, dump, ["roller"], late, None, 4000)
        (here,) = lanes.at_cursor(session, dump, ["roller"], lane.times_s[0])
        (whole,) = lanes.lanes(session, dump, ["roller"], None, None, 4000)
    np.testing.assert_allclose(lane.low, whole.low[-len(lane.low) :])
    assert here.value == pytest.approx(lane.low[0])
    assert {shown["roller.a"].form, shown["roller.b"].form} == {"levels"}
    for one, wire in zip(read, levels, strict=True):
        assert one.pulses is not None
        assert one.pulses.rises == int((np.diff(wire) > 0).sum())


@pytest.mark.parametrize("dataset", ["Chwirut1", "Chwirut2", "Misra1a", "Misra1d"])
def test_certified_fits_of_what_was_taken_in(roller: Database, dataset: str) -> None:
    """NIST Statistical Reference Datasets: the readings come through whole, so that a fit gives the certified
    numbers."""
    echo = Meaning(CHANNEL, "ranger", "echo")
    said = (
        {"1": echo}
        if dataset.startswith("Chwirut")
        else {"1": Meaning(CHANNEL, "ranger", "echo", 1000.0), "2": NOTHING}
    )
    recording_id = taken_in(roller, f"nist_strd_{dataset}.dat", **said)
    wanted = json.loads((DATA.parent / "o_ir.json").read_text())["nist"][dataset]
    with roller.transaction() as session:
        found = recordings.recording(session, recording_id)
        times, (y,) = samples.rows_between(session, found.stream_of("ranger"))
        assert (np.diff(times) > 0).all()
        if not dataset.startswith("Chwirut"):
            assert y / 1000 == pytest.approx(wanted["y"])
            return
        _, (x,) = samples.rows_between(session, found.stream_of(OTHER))
        odd = recordings.odd_lines(session, recording_id)
    assert odd[0].line == 1
    assert (y.tolist(), x.tolist()) == (wanted["y"], wanted["x"])
    certified = [
        r for r in rows("o_ir", "nist_strd") if r["dataset"] == dataset and r["parameter"].startswith("b")
    ]
    fit, covariance = curve_fit(lambda x, a, b, c: np.exp(-a * x) / (b + c * x), x, y, [0.15, 0.008, 0.01])
    assert fit == pytest.approx([one["certified"] for one in certified], rel=1e-5)
    assert np.sqrt(np.diag(covariance)) == pytest.approx(
        [one["certified standard deviation"] for one in certified], rel=1e-4
    )
