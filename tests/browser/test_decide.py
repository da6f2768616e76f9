"""Thresholds with their odds, the obstacle guard and the filter, decided on the recordings of the demo."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.steps import take_back
from tests.conftest import until
from tests.served import Served

ROW = "/api/rigs/fern/sensors/line-row"


def heading(page: Page):
    return page.locator("h1")


def tick(page: Page, name: str):
    return page.get_by_role("slider", name=name, exact=True)


def constants(served: Served, sensor: str) -> dict[str, dict]:
    return {
        one["name"]: one for one in served.client.get(f"/api/rigs/fern/sensors/{sensor}/constants").json()
    }


def test_line_thresholds_are_moved_with_their_odds_tested_chosen_and_go_stale(
    page: Page, served: Served
) -> None:
    page.goto("/fern/decide?sensor=line-row")
    expect(heading(page)).to_have_text("Four sensors are safe in every light; far right is not")
    expect(page.locator(".next")).to_contain_text("no threshold works for far right")
    expect(page.locator(".Heaps-heaps")).to_contain_text(re.compile(r"far left.*0 of 3\D?090", re.DOTALL))

    left = tick(page, "Threshold of left")
    before = int(left.get_attribute("aria-valuenow") or 0)
    left.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    expect(left).to_have_attribute("aria-valuenow", str(before + 11))
    frames = page.evaluate(
        """async () => {
          const tick = document.activeElement, was = tick.getAttribute("aria-valuenow");
          tick.dispatchEvent(new KeyboardEvent("keydown", {key: "ArrowLeft", bubbles: true}));
          for (let frame = 0; frame < 10; frame++) {
            if (tick.getAttribute("aria-valuenow") !== was) return frame;
            await new Promise(requestAnimationFrame);
          }
          return 10;
        }"""
    )
    assert frames <= 1  # the odds are looked up, not asked for
    box = left.locator("path").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 4)
    page.mouse.down()
    page.mouse.move(box["x"] - 290, box["y"] + 4, steps=6)
    page.mouse.up()
    expect(left).to_have_attribute("aria-valuetext", re.compile(r"^\d+ counts, [1-9]\d* of 3090 misread$"))
    expect(heading(page)).to_have_text(
        re.compile("^Three sensors are safe in every light; left and far right are not")
    )
    page.get_by_role("button", name=re.compile("Otsu")).click()
    expect(left).to_have_attribute("aria-valuetext", re.compile("counts, 0 of 3090 misread$"))
    page.get_by_role("button", name=re.compile("widest margin")).click()
    expect(left).to_have_attribute("aria-valuenow", str(before))

    page.get_by_label("Tested on").select_option(label="Line row, the evening before")
    expect(page.locator(".Heaps-heap-about")).to_contain_text(
        re.compile(r"On the recording kept aside: \d+ of 1\D?030")
    )
    lights = page.locator(".SaidTable-said-table tbody tr")
    expect(lights).to_have_count(3)
    page.get_by_role("checkbox", name="Line row, with a load of trays").click()
    expect(lights).to_have_count(2)
    page.get_by_role("checkbox", name="Line row, with a load of trays").click()
    expect(lights).to_have_count(3)

    page.get_by_role("button", name=re.compile(r"^Choose \d+ values")).click()
    decisions = page.get_by_role("navigation", name="Decisions")
    expect(decisions).to_contain_text(re.compile("Line thresholds.?chosen"))
    chosen = constants(served, "line-row")["threshold_s2"]
    assert (chosen["value"], chosen["provenance"]) == (before, "chosen")
    listed = served.client.get("/api/rigs/fern/recordings").json()
    lamp_off = next(one["id"] for one in listed if one["name"] == "Line row, lamp off")
    served.client.post(
        f"{ROW}/procedures/line/from-recording", json={"recording_id": lamp_off}
    ).raise_for_status()
    served.client.post(f"{ROW}/procedures/line/accept", json={}).raise_for_status()
    expect(decisions).to_contain_text(re.compile("Line thresholds.?stale"))
    expect(page.get_by_role("link", name=re.compile("Decide.*no longer holds"))).to_be_visible()


def test_what_the_row_does_in_every_state_is_edited_and_contradictions_are_flagged(
    page: Page, served: Served
) -> None:
    page.goto("/fern/decide?sensor=line-row&decision=steering")
    expect(heading(page)).to_have_text("17 states, each with what to do")
    table = page.locator(".States-states")
    expect(table).to_contain_text("unreachable with one tape of 19 mm")
    page.get_by_label("Then, at 10000").select_option(label="right hard")
    expect(table).to_contain_text("contradicts: it steers away from the line")
    expect(heading(page)).to_have_text(re.compile("would steer away from the line"))
    page.get_by_label("Then, at 10000").select_option(label="left")
    expect(heading(page)).to_have_text("17 states, each with what to do")
    page.get_by_role("button", name=re.compile(r"^Choose \d+ values")).click()
    expect(page.get_by_role("navigation", name="Decisions")).to_contain_text(
        re.compile("States and actions.?chosen")
    )
    assert constants(served, "line-row")["act_10000"]["value"] == 2


def test_the_obstacle_guard_counts_its_votes_on_a_recording(bench: Page) -> None:
    page = bench
    page.goto("/fern/decide?sensor=front-ranger")
    expect(heading(page)).to_have_text(re.compile(r"At 0.4 m/s the cart must begin to stop at 2\d\d mm"))
    page.get_by_label("Looked at").select_option(label="Pushed at a box")
    votes = page.locator(".SaidTable-said-table").filter(has_text="2 of 2 votes")
    expect(votes).to_contain_text(re.compile(r"0 of \d+ trips"))
    expect(votes).to_contain_text(re.compile(r"[0-9] of [4-9] approaches"))
    expect(page.locator(".Decide-decision")).to_contain_text("too close")
    expect(page.locator(".Decide-decision")).to_contain_text("no reading: not safe")
    expect(page.locator(".Decide-decision")).to_contain_text("At another speed")
    expect(page.locator(".Decide-decision")).to_contain_text("In other air")
    trip = tick(page, "Trip distance")
    before = int(trip.get_attribute("aria-valuenow") or 0)
    trip.focus()
    page.keyboard.press("Shift+ArrowLeft")
    expect(trip).to_have_attribute("aria-valuenow", str(before - 10))
    expect(page.locator(".Floor-sums")).to_contain_text("too late by")
    expect(heading(page)).to_have_text(re.compile("mm too late at 0.4 m/s"))


def test_speed_gap_and_reaction_are_dragged_where_they_are_drawn(page: Page, served: Served) -> None:
    page.goto("/fern/decide?sensor=front-ranger")
    needed = page.locator(".Floor-sums")
    expect(needed).to_contain_text("243\u2009mm")
    gap = page.get_by_role("slider", name="gap")
    handle = gap.locator("rect").last.bounding_box()
    assert handle
    x, y = handle["x"] + handle["width"] / 2, handle["y"] + handle["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=4)
    expect(needed).not_to_contain_text("243\u2009mm")  # tried while it is held,
    assert constants(served, "front-ranger")["gap"]["provenance"] == "assumed"  # and not yet set
    page.mouse.up()
    until(lambda: constants(served, "front-ranger")["gap"]["provenance"] == "chosen")
    assert constants(served, "front-ranger")["gap"]["value"] > 80
    trip = tick(page, "Trip distance")
    speed = page.get_by_role("slider", name="cart speed")
    before = int(trip.get_attribute("aria-valuenow") or 0)
    speed.focus()
    page.keyboard.press("Shift+ArrowRight")
    until(lambda: constants(served, "front-ranger")["drive_speed"]["value"] == 0.5)
    expect(heading(page)).to_have_text(re.compile("At 0.5 m/s"))
    expect(trip).not_to_have_attribute("aria-valuenow", str(before))  # by the speed and not by the key
    expect(page.get_by_label("cart speed").locator("visible=true").last).to_be_visible()


def test_a_filter_is_picked_on_the_curve_and_the_guard_knows(page: Page, served: Served) -> None:
    page.goto("/fern/decide?sensor=front-ranger&decision=filter")
    expect(page.locator("figcaption").first).to_have_text("Noise against lag")
    expect(page.locator(".Decide-decision")).to_contain_text("Kalman filter, r =")
    page.get_by_role("button", name="Pick average of 5").click()
    expect(heading(page)).to_have_text(
        re.compile(r"^Average of 5 leaves \d\d % of the noise, 100 ms late: 40 mm farther$")
    )
    expect(page.locator(".Decide-decision")).to_contain_text("For the obstacle guard: 40 mm more for the lag")
    page.get_by_role("button", name="Choose filter").click()
    expect(page.get_by_role("navigation", name="Decisions")).to_contain_text(re.compile("Filter.?chosen"))
    assert constants(served, "front-ranger")["filter_kind"]["value"] == 1
    take_back(page)
    expect(page.get_by_role("navigation", name="Decisions")).not_to_contain_text(re.compile("Filter.?chosen"))
    assert "filter_kind" not in constants(served, "front-ranger")
    page.get_by_role("button", name="Pick average of 5").click()
    expect(heading(page)).to_have_text(re.compile("^Average of 5 leaves"))
    page.get_by_role("button", name="Choose filter").click()
    expect(page.get_by_role("navigation", name="Decisions")).to_contain_text(re.compile("Filter.?chosen"))
    page.get_by_role("button", name=re.compile("^Obstacle guard")).click()
    expect(heading(page)).to_have_text(re.compile(r"must begin to stop at 28\d mm"))
    expect(page.locator(".Decide-decision")).to_contain_text("filtered")
    page.get_by_role("button", name=re.compile("^Missing readings")).click()
    expect(heading(page)).to_have_text(re.compile("Nothing is missing|It would have stopped"))


def test_what_cannot_be_decided_yet_says_what_to_do(bench: Page) -> None:
    for address, said in (
        ("/plume/decide?sensor=top-ranger&decision=filter", "No filter yet: none is chosen by eye here"),
        ("/heron/decide?sensor=wheel", "No limits yet: too few pulses are recorded"),
        ("/plume/decide?sensor=air", "Nothing is decided by the air sensor"),
    ):
        bench.goto(address)
        expect(heading(bench)).to_have_text(said)
