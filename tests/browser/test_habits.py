"""What a hand at the bench does a hundred times: find, freeze, zoom, rename, take back, take along."""

from __future__ import annotations

import csv
import io
import re

from playwright.sync_api import Page, expect

from tests.browser.steps import take_back
from tests.conftest import until
from tests.served import Served

RIG = "/api/rigs/fern"


def heading(page: Page):
    return page.locator("h1")


def test_find_opens_a_constant_a_recording_and_a_line_of_the_log(page: Page) -> None:
    page.goto("/fern/wire")
    expect(page.locator(".Rule-rule")).to_be_visible()
    page.keyboard.press("/")
    field = page.get_by_label(re.compile("^Find a station"))
    field.fill("humid")
    expect(page.locator(".Find-hits")).to_contain_text("humidity")
    expect(page.locator(".Find-hits li")).to_have_count(1)
    field.press("Enter")
    expect(page).to_have_url(re.compile("/fern/convert"))
    expect(page.locator("#constant-humidity")).to_be_focused()
    page.keyboard.press("/")
    field.fill("first look")
    expect(page.locator(".Find-hits")).to_contain_text("recording")
    page.locator(".Find-hits button").first.click()
    expect(heading(page)).to_have_text("First look at the bench")
    page.keyboard.press("/")
    field.fill("zeppelin")
    expect(page.locator(".Find-hits")).to_contain_text("Nothing by that name")
    page.keyboard.press("Escape")
    expect(field).to_have_count(0)


def test_every_key_has_a_list_and_a_button(page: Page) -> None:
    page.goto("/fern/watch")
    expect(page.locator(".Rule-rule")).to_be_visible()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("the stations, Wire to Log")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    for number, station in enumerate(
        ("wire", "watch", "convert", "calibrate", "decide", "drive", "log"), start=1
    ):
        page.keyboard.press(str(number))
        expect(page).to_have_url(re.compile(f"/fern/{station}"))
    page.keyboard.press("6")
    expect(heading(page)).to_contain_text("Follows the line")


def readings_come(page: Page) -> None:
    """New readings are counted on the screen."""
    health = page.locator(".Watch-health")
    before = health.inner_text()
    expect(health).not_to_have_text(before, use_inner_text=True)


def test_freezing_stops_the_trace_and_not_the_readings(page: Page, served: Served) -> None:
    served.client.post(f"{RIG}/connect", json={"kind": "stand-in"}).raise_for_status()
    page.goto("/fern/watch")
    expect(page.locator(".Watch-health")).to_contain_text(re.compile("[1-9] readings"))
    page.keyboard.press("f")
    expect(page.get_by_role("button", name=re.compile("Frozen"))).to_have_attribute("aria-pressed", "true")
    strip = page.locator(".frame-tape canvas")
    readings_come(page)  # and the last frame is drawn
    before = strip.evaluate("canvas => canvas.toDataURL()")
    for _ in range(3):
        readings_come(page)
    assert strip.evaluate("canvas => canvas.toDataURL()") == before
    page.keyboard.press("f")
    until(lambda: strip.evaluate("canvas => canvas.toDataURL()") != before)


def test_marks_are_renamed_removed_and_brought_back(page: Page) -> None:
    page.goto("/fern/watch?recording=1")
    marks = page.locator(".OpenedRecording-recorded-lists section").first
    expect(marks.locator("li")).to_have_count(2)
    marks.get_by_role("button", name="Change").first.click()
    page.get_by_role("textbox", name="Words").fill("box at rest")
    page.get_by_role("button", name="Keep").click()
    expect(marks).to_contain_text("box at rest")
    marks.get_by_role("button", name="Remove").first.click()
    expect(marks.locator("li")).to_have_count(1)
    take_back(page)
    expect(marks.locator("li")).to_have_count(2)


def test_a_recording_is_put_away_and_brought_back(page: Page) -> None:
    page.goto("/fern/watch?recording=1")
    page.get_by_role("button", name="Archive recording").click()
    expect(page.locator(".recordings .link").first).to_have_text("Pushed at a box")
    take_back(page)
    expect(page.locator(".recordings .link").first).to_have_text("First look at the bench")


def test_lanes_are_spanned_zoomed_and_taken_along(page: Page) -> None:
    page.goto("/fern/watch?recording=1")
    drawing = page.locator(".Lanes-lanes svg")
    expect(page.get_by_role("heading", name="Marks")).to_be_visible()  # what comes above the lanes is there
    expect(page.locator(".Lanes-lane-name").first).to_be_visible()
    drawing.evaluate("element => element.scrollIntoView({ block: 'center' })")
    drawing.hover(position={"x": 300, "y": 100})  # once it stands still
    box = drawing.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 300, box["y"] + 100)
    page.mouse.down()
    page.mouse.move(box["x"] + 500, box["y"] + 100, steps=5)
    page.mouse.up()
    expect(page).to_have_url(re.compile(r"s0=\d+\.\d+&s1=\d+"))
    expect(page.locator(".ReadOuts-read-outs")).to_contain_text("highest")
    page.get_by_role("button", name="Zoom to it").click()
    expect(page).to_have_url(re.compile(r"t0=\d+\.\d+&t1=\d+"))
    first = page.url
    drawing.hover(position={"x": 400, "y": 100})
    page.mouse.wheel(0, -200)
    expect(page).not_to_have_url(first)
    with page.expect_download() as download:
        page.get_by_role("button", name="CSV").click()
    rows = list(csv.DictReader(io.StringIO(download.value.path().read_text())))
    own = [row for row in rows if row["lane"] == "front-ranger"]
    times = [float(row["t_s"]) for row in own]
    assert len(own) > 20
    assert times == sorted(times)
    assert times[-1] - times[0] < 15
    assert all(200 < float(row["low"]) < 900 for row in own if row["low"])
    with page.expect_download() as picture:
        page.get_by_role("button", name="PNG").click()
    assert picture.value.path().read_bytes().startswith(b"\x89PNG")


def test_a_board_on_the_network_connects_by_address(page: Page, served: Served) -> None:
    served.hands({"front-ranger.target_mm": 850})  # starts the stand-in
    port = next(iter(served_tcp(served)))
    page.goto("/fern/watch")
    page.locator(".source").click()
    page.get_by_label("Address").fill("nowhere")
    page.get_by_label("Address").press("Enter")
    expect(page.locator(".SourceMenu-sources .field-fault")).to_contain_text("host:port")
    page.get_by_label("Address").fill(f"127.0.0.1:{port}")
    page.get_by_label("Address").press("Enter")
    expect(page.locator(".source-live")).to_contain_text(f"127.0.0.1:{port}")
    page.keyboard.press("Escape")
    expect(page.locator(".Row-watch-row").first).to_contain_text(re.compile(r"8\d\d"))


def served_tcp(served: Served) -> list[str]:
    """The TCP port of the stand-in that a server started, from the file the stand-in wrote."""
    import subprocess
    from pathlib import Path

    listed = subprocess.run(
        ["pgrep", "-P", str(served.process.pid), "-a"], capture_output=True, text=True
    ).stdout
    folder = re.search(r"tickstone\.standin\.process (\S+)", listed)
    assert folder is not None
    return [(Path(folder.group(1)) / "tcp").read_text().split(":")[1]]


def test_two_stones_stand_side_by_side_changed_lines_first(page: Page, served: Served) -> None:
    for why, speed in (("slow", 0.3), ("fast", 0.6)):
        served.client.put(f"{RIG}/sensors/front-ranger/constants/drive_speed", json={"value": speed})
        served.client.post(f"{RIG}/stones", json={"why": why}).raise_for_status()
    page.goto("/fern/log")
    rows = page.locator("[data-list=stones] tbody tr")
    expect(page.locator("[data-list=stones] thead")).to_contain_text("stone 1")
    expect(rows.first).to_contain_text("cart speed")
    expect(rows.first).to_contain_text("0.3")
    expect(rows.first).to_contain_text("0.6")
    expect(rows.first).to_have_class("table-changed")
    expect(rows.nth(1)).not_to_have_class("table-changed")
    page.get_by_label("beside").select_option("0")
    expect(page.locator("[data-list=stones] thead")).not_to_contain_text("stone 1")
    page.get_by_label("Search the log").fill("fast")
    expect(page.locator(".Log-timeline ol li")).to_have_count(1)
    page.get_by_label("Search the log").fill("zeppelin")
    expect(page.locator(".Log-timeline")).to_contain_text("Nothing in the log about")


def test_the_trip_is_dragged_and_stays_within_reach(page: Page) -> None:
    page.goto("/fern/decide")
    tick = page.get_by_role("slider", name="Trip distance")
    expect(tick).to_be_visible()
    box = tick.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 120, box["y"] + 60, steps=6)
    page.mouse.up()
    dragged = int(tick.get_attribute("aria-valuenow") or 0)
    assert 320 < dragged < 380
    page.get_by_role("button", name=re.compile("^Choose")).click()
    expect(heading(page)).to_have_text(re.compile(f"Tripping at {dragged} mm"))


def test_lengths_follow_the_chosen_unit_everywhere(page: Page) -> None:
    page.add_init_script("localStorage.setItem('tick-stone-settings', JSON.stringify({length: 'in'}))")
    page.goto("/fern/convert?r.echo=1748")
    expect(heading(page)).to_have_text(re.compile(r"is 1[12]\.\d+\Din"))
    page.get_by_label("Wanted distance").fill("10")
    expect(page.locator(".Backwards-inverse")).to_contain_text(re.compile(r"1\D4\d\d"))
    page.goto("/fern/calibrate")
    expect(page.get_by_label("The ruler says")).to_have_value("5.905512")
    page.goto("/fern/decide")
    expect(page.locator(".Floor-sums")).to_contain_text("in")
    expect(page.locator(".decide-trip-tick")).to_contain_text(re.compile(r"trip 9\.\d"))


def test_the_slab_tells_where_a_number_comes_from_and_folds_away(page: Page) -> None:
    page.goto("/fern/wire")
    page.locator("#constant-height").click()
    about = page.get_by_role("dialog", name="height")
    expect(about).to_contain_text("height is measured: by ruler")
    about.get_by_label("You measured").fill("121")
    about.get_by_label("plus or minus").fill("1")
    about.get_by_role("button", name="Set it").click()
    expect(page.locator("#constant-height")).to_contain_text("121.0")
    expect(about).to_have_count(0)
    page.locator("#constant-height").click()
    expect(about).to_contain_text("Before")
    expect(about).to_contain_text("118")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Settings").click()
    page.get_by_label("Slab").uncheck()
    expect(page.locator(".frame-slab")).to_have_count(0)


def test_the_harness_prints_without_the_frame(page: Page) -> None:
    page.goto("/fern/wire")
    expect(page.locator(".HarnessDrawing-harness")).to_be_visible()
    page.emulate_media(media="print")
    expect(page.locator(".HarnessDrawing-harness")).to_be_visible()
    for hidden in (".Rule-rule", ".frame-top", ".frame-slab", ".frame-tape"):
        expect(page.locator(hidden)).to_be_hidden()
