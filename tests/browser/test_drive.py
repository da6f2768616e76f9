"""Runs before the run: worked out on the demo's constants, drawn, played, and refused where a part lacks."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.served import Served


def heading(page: Page):
    return page.locator("h1")


def number(page: Page, name: str):
    return page.get_by_label("Numbers of the run").get_by_label(name, exact=True)


def drawing(page: Page, world: str):
    return page.get_by_role("img", name=re.compile(f"^The {world} from above"))


def test_a_number_is_changed_until_it_leaves_the_line_and_why_is_told(page: Page) -> None:
    page.goto("/fern/drive")
    expect(heading(page)).to_have_text(re.compile(r"^Follows the line 1 lap in \d\d\.\d s, at most \d\d mm"))
    expect(drawing(page, "path").locator(".Course-way").first).to_be_attached()
    expect(drawing(page, "path").locator(".Course-before")).to_have_count(0)

    number(page, "cruise").fill("90")
    expect(heading(page)).to_have_text(re.compile(r"^Leaves the line at \d\.\d s, in the \w+ bend"))
    expect(page.locator(".next")).to_contain_text("came faster than it turned")
    expect(drawing(page, "path").locator(".Course-bad")).to_contain_text("left the line")
    expect(drawing(page, "path").locator(".Course-before")).to_have_count(1)  # the way of before, pale
    expect(page).to_have_url(re.compile("cruise_pct:90|cruise_pct%3A90"))

    number(page, "cruise").fill("900")
    expect(page.get_by_role("alert")).to_have_text("cruise cannot be above 100 %.")
    expect(heading(page)).to_have_text(re.compile("^Leaves"))  # what cannot be changes nothing
    page.get_by_role("button", name="cruise as before").click()
    expect(heading(page)).to_have_text(re.compile("^Follows the line 1 lap"))
    expect(number(page, "cruise")).to_have_value("40")


def test_a_run_is_played_and_stepped_by_keys(page: Page) -> None:
    page.goto("/fern/drive?behaviour=wander&world=greenhouse")
    vehicle = drawing(page, "greenhouse").locator(".Course-vehicle")
    expect(vehicle).to_be_attached()
    ended = vehicle.get_attribute("transform")
    page.get_by_label("Speed").select_option("0.25")
    page.get_by_role("button", name=re.compile("^Play")).click()
    expect(page.get_by_role("button", name=re.compile("^Pause"))).to_be_visible()
    expect(vehicle).not_to_have_attribute("transform", ended or "")
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name=re.compile("^Play"))).to_be_visible()
    page.keyboard.press("n")  # the first that happens is that it has come near a wall
    expect(page.locator(".Shown-states [aria-current]")).to_have_text("stop")
    expect(page.locator(".Shown-play")).to_contain_text("stop")


def test_what_a_hand_does_is_worked_in(page: Page) -> None:
    page.goto("/fern/drive")
    higher = page.get_by_role("button", name="5 mm higher")
    higher.click()
    expect(higher).to_have_attribute("aria-pressed", "true")
    expect(page).to_have_url(re.compile("higher_mm"))
    higher.click()
    expect(page).not_to_have_url(re.compile("higher_mm"))
    expect(heading(page)).to_have_text(re.compile("^Follows"))


def test_what_nobody_has_measured_leads_to_where_it_is(page: Page) -> None:
    page.goto("/fern/drive")
    numbers = page.get_by_label("Numbers of the run")
    expect(numbers).to_contain_text(re.compile("Nobody has measured: .*motor lag"))
    numbers.get_by_role("button", name="Measure").click()
    expect(page).to_have_url(re.compile(r"/fern/calibrate\?.*sensor=line-row"))


def test_a_rig_that_lacks_a_part_is_told_which(page: Page, served: Served) -> None:
    page.goto("/plume/drive")
    expect(heading(page)).to_have_text(re.compile(r"^Holds 200 mm within \d\.\d mm"))
    expect(page.get_by_label("World", exact=True)).to_have_value("tube")
    expect(page.get_by_role("img", name=re.compile("^On the tube"))).to_contain_text("wanted 200")
    lacks = page.locator("option", has_text="Follow, weighted")
    expect(lacks).to_be_disabled()
    expect(lacks).to_have_attribute("title", re.compile("row of line sensors: this rig has none"))

    answer = served.client.post(
        "/api/rigs/plume/drive", json={"behaviour": "follow-pid", "world": "path", "seconds": 5}
    )
    assert answer.status_code == 422
    assert answer.json()["path"] == "rig"
