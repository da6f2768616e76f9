"""Motor Halls: spacings, layouts, decoding."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.calculations import run
from tickstone.core import motor_halls

NAMES = {"120": "120", "60": "60", "invalid": "none"}


@pytest.mark.parametrize("row", rows("i_bldc", "valid_spacing_up_to_120_mech"), ids=lambda r: f"P={r['P']}")
def test_all_valid_spacings_against_the_table(row: dict) -> None:
    found = run("motor-hall-spacings", {"pole_pairs": row["P"], "radius_mm": 10})["spacings"]
    assert [s["mechanical_deg"] for s in found] == sorted(s["mechanical_deg"] for s in found)
    for scheme in ("120", "60"):
        wanted = [
            float(text)
            for text in row[f"{scheme}-deg layouts{', mech spacing' if scheme == '120' else ''}"].split()
        ]
        ours = [
            s["mechanical_deg"] for s in found if s["scheme"] == scheme and s["mechanical_deg"] <= 120.0001
        ]
        assert ours == pytest.approx(wanted, abs=1e-3)
    for spacing in (120, 60, 30):
        checked = run("motor-hall-check", {"pole_pairs": row["P"], "spacing_deg": spacing})
        assert checked["scheme"] == NAMES[str(row[f"{spacing} mech is"])]


@pytest.mark.parametrize("row", rows("i_bldc", "spacing_cases"), ids=str)
def test_spacings_are_judged_as_the_table_says(row: dict) -> None:
    found = run("motor-hall-check", {"pole_pairs": row["P"], "spacing_deg": row["mech spacing"]})
    off = (found["electrical_deg"] - row["electrical spacing mod 360"]) % 360
    assert min(off, 360 - off) < 1e-3
    assert found["scheme"] == NAMES[str(row["layout"])]
    assert found["valid"] == (found["scheme"] != "none")


@pytest.mark.parametrize("row", rows("i_bldc", "three_angle_cases"), ids=str)
def test_layouts_are_judged_as_the_table_says(row: dict) -> None:
    angles = [float(text) for text in row["mech angles"].split()]
    found = run("motor-hall-layout", {"pole_pairs": row["P"], "angles_deg": angles})
    assert found["scheme"] == NAMES[str(row["layout"])]


@pytest.mark.parametrize("row", rows("i_bldc", "placement_error"), ids=str)
def test_placement_errors_against_the_table(row: dict) -> None:
    given = {"pole_pairs": row["P"], "spacing_deg": 120, "placement_error_deg": row["mech error deg"]}
    assert run("motor-hall-check", given)["electrical_error_deg"] == pytest.approx(
        row["electrical error deg"]
    )


@pytest.mark.parametrize("row", rows("i_bldc", "edge_rate"), ids=str)
def test_edge_rates_against_the_table(row: dict) -> None:
    found = run("motor-hall-rpm", {"edges_per_s": row["edges/s (3 sensors)"], "pole_pairs": row["P"]})
    assert found["rpm"] == pytest.approx(row["rpm"])


@pytest.mark.parametrize(
    ("codes", "scheme", "net", "invalid", "skipped"),
    [
        ("5 4 6 2 3 1 5", "120", 6, 0, 0),
        ("5 1 3 2 6 4 5", "120", -6, 0, 0),
        ("5 4 6 2 6 4 5", "120", 0, 0, 0),
        ("5 4 2 3", "120", 2, 0, 1),
        ("5 4 7 6", "120", 2, 1, 0),
        ("0 4", "120", 0, 1, 0),
        ("4 6 7 3 1 0 4", "60", 6, 0, 0),
        ("4 6 2", "60", 1, 1, 0),
        ("5 2", "120", 0, 0, 1),
    ],
)
def test_sequences_as_the_tables_verdicts_say(
    codes: str, scheme: str, net: int, invalid: int, skipped: int
) -> None:
    """The sequences of reference table i_bldc/sequence_cases, its verdicts as numbers."""
    found = run("motor-hall-decode", {"codes": [int(c) for c in codes.split()], "scheme": scheme})
    assert (found["net_steps"], found["invalid_codes"], found["skipped"]) == (net, invalid, skipped)
    assert found["direction"] == ("forward" if net > 0 else "reverse" if net < 0 else "none")


def test_sector_codes_against_the_table() -> None:
    for row in rows("i_bldc", "sector_codes"):
        place = row["electrical from deg"] // 60
        assert motor_halls.SEQUENCES["120"][place] == row["as 4H1+2H2+H3"]
        assert motor_halls.SEQUENCES["60"][place] == row["as number"]


@given(st.sampled_from(["120", "60"]), st.lists(st.sampled_from([-1, 0, 1]), max_size=100))
def test_any_walk_is_followed(scheme: str, steps: list[int]) -> None:
    place = np.concatenate([[0], np.cumsum(steps)]).astype(int) % 6
    codes = np.array(motor_halls.SEQUENCES[scheme])[place]
    found = motor_halls.decode(codes, scheme)
    assert (found.net_steps, found.invalid_codes, found.skipped) == (sum(steps), 0, 0)


def test_the_rule_that_circulates_is_not_right() -> None:
    """Common practice says 360/(3·N)·P for any N; for N = 3, P = 7 that is 280°, electrically 160°."""
    assert (7 * 280) % 360 == 160
    assert run("motor-hall-check", {"pole_pairs": 7, "spacing_deg": 360 - 280})["scheme"] == "none"
