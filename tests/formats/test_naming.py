"""What a column is by its name: the summary of a file, the fault finder and the conversion agree about it."""

from __future__ import annotations

import io

import pytest

from tests.rigs import part, rig
from tickstone.core.diagnosis.record import AIR, DISTANCE, ECHO, EDGE, LIGHT, OTHER, RANGING, SUPPLY
from tickstone.formats import columns, converted
from tickstone.formats.examined import record_of
from tickstone.formats.naming import channel_named, named
from tickstone.formats.opening import open_readings, open_table
from tickstone.formats.summary import summary


@pytest.mark.parametrize(
    ("name", "quantity", "unit", "nature", "scale"),
    [
        ("wall_distance_in", "distance", "in", DISTANCE, 25.4),
        ("gap_m", "", "", DISTANCE, 1000.0),
        ("rear_echo_us", "time", "µs", ECHO, 0.1716),
        ("wheel_edge_us", "edges", "µs", EDGE, None),
        ("battery2_adc", "counts", "counts", SUPPLY, None),
        ("batt_v", "voltage", "V", SUPPLY, None),
        ("floor_ir_adc", "counts", "counts", RANGING, None),
        ("ldr_left_v", "voltage", "V", LIGHT, None),
        ("hall_v", "voltage", "V", OTHER, None),
        ("outside_c", "temperature", "°C", AIR, None),
        ("air_adc", "counts", "counts", OTHER, None),  # counts are no degrees
        ("mood", "", "", OTHER, None),
    ],
)
def test_a_name_says_its_quantity_unit_and_nature(
    name: str, quantity: str, unit: str, nature: str, scale: float | None
) -> None:
    assert named(name) == (quantity, unit, nature, scale)
    assert channel_named(name) is None


def test_a_name_of_our_own_is_a_channel_of_a_kind() -> None:
    known = channel_named(" Echo_us ")
    assert known is not None
    assert known[0].id == named("echo_us").quantity
    assert known[1].unit == "µs"


def test_two_rangers_of_a_rig_are_converted_by_the_names_that_the_program_prints() -> None:
    two = rig(part("ultrasonic-ranger", "left"), part("ultrasonic-ranger", "rear-end"))
    table = open_table(io.BytesIO(b"time_ms,left_echo_us,rear_end_echo_us\n0,1748,3496\n50,1748,\n"))
    plan = columns.plan(table, columns.rig_candidates(two, {}))
    assert plan.time == (0, 1000.0)
    (frame,) = converted.frames(converted.Converting(table, plan))
    left, rear = (frame[f"{name}_distance_mm"].to_list() for name in ("left", "rear_end"))
    assert float(rear[0]) == pytest.approx(2 * float(left[0]), rel=1e-6)
    assert rear[1] == ""


def test_the_time_is_the_same_to_a_look_and_to_a_conversion() -> None:
    for heading in ("t_us", "time_ms", "t_s", "uptime", "seconds"):
        text = f"{heading},echo_us\n0,1748\n1,1750\n".encode()
        table = open_table(io.BytesIO(text))
        plan = columns.plan(table, columns.bare_candidates({}))
        assert plan.time is not None
        assert plan.time[0] == 0
        look = summary(open_readings(io.BytesIO(text)))
        assert look["time"] == heading
        assert look["duration_s"] == pytest.approx(plan.time[1] / 1e6)


def test_edges_are_the_time_only_where_there_is_no_other() -> None:
    edges = "hall_edge_us\n0\n20000\n41000\n60000\n"
    assert record_of(open_readings(io.BytesIO(edges.encode()))).clock == "hall_edge_us"
    both = "t_ms,hall_edge_us\n0,5\n20,20000\n40,41000\n60,60000\n"
    assert record_of(open_readings(io.BytesIO(both.encode()))).clock == "t_ms"
