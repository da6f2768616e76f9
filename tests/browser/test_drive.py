"""Runs before the run: worked out on the demo's constants, drawn, played, and refused where a part lacks."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.steps import expect_notice
from tests.served import Served
from tickstone.core.drive.run import run
from tickstone.formats.run_json import request_from_json, run_to_plain


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
    shown = page.locator(".Shown-play > span").first
    at = shown.inner_text()
    page.locator("h1").click()  # nothing is in use
    page.keyboard.press("ArrowRight")
    expect(shown).not_to_have_text(at)
    page.keyboard.press("ArrowLeft")
    expect(shown).to_have_text(at)
    page.keyboard.press("n")  # the first that happens is that it has come near a wall
    expect(page.locator(".States-state[aria-current]")).to_have_text("stop")
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
    numbers.get_by_role("button", name="spot").click()
    expect(page).to_have_url(re.compile(r"/fern/calibrate\?.*procedure=spot"))
    expect(heading(page)).to_have_text("What a sensor sees is taken as usual")
    page.go_back()
    numbers.get_by_role("button", name="motor lag").click()
    expect(page).to_have_url(re.compile(r"/fern/calibrate\?.*sensor=wheel.*procedure=motor-lag"))
    expect(heading(page)).to_have_text("How fast the motors follow is taken as usual")


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


def test_a_number_is_chosen_taken_back_and_goes_into_the_slab(page: Page) -> None:
    page.goto("/fern/drive")
    number(page, "kp").fill("1,3")
    expect(page.get_by_role("slider", name="kp, slide")).to_be_visible()  # while it is worked at
    page.get_by_role("button", name="Choose kp", exact=True).click()
    expect_notice(page, "It remembers the run it was chosen by")
    line = page.locator("#constant-follow_pid_kp")
    expect(line).to_contain_text(re.compile("kp, follow-pid.*1.3.*chosen by a run in path", re.S))
    expect(page).not_to_have_url(re.compile("kp"))
    expect(number(page, "kp")).to_have_value("1.3")
    page.get_by_role("button", name="Undo").click()
    expect(line).to_have_count(0)
    expect(number(page, "kp")).to_have_value("1")


def test_runs_are_kept_opened_as_they_were_and_laid_beside_each_other(page: Page) -> None:
    page.goto("/fern/drive?seconds=10&set=cruise_pct:90")
    expect(heading(page)).to_have_text(re.compile("^Leaves the line"))
    page.get_by_role("button", name="Keep this run").click()
    expect(heading(page)).to_have_text(re.compile(r"^Run \d+: Leaves the line"))
    first = (heading(page).inner_text()).split(":")[0]
    page.get_by_role("button", name="Back to the rig as it is").click()
    number(page, "cruise").fill("50")
    expect(heading(page)).to_have_text(re.compile("^On the line all the time"))
    page.get_by_role("button", name="Keep this run").click()
    expect(heading(page)).to_have_text(re.compile(r"^Run \d+: On the line"))
    kept = page.get_by_label("Kept runs")
    older = kept.get_by_role("listitem").filter(has_text="Leaves the line").first
    older.get_by_role("button", name="Lay beside").click()
    row = kept.get_by_role("row", name=re.compile("^cruise pct"))
    expect(row.get_by_role("cell")).to_have_text(["90", "50"])
    expect(kept.get_by_role("columnheader")).to_have_text(
        ["not the same", first.lower(), re.compile(r"run \d+")]
    )
    expect(drawing(page, "path").locator(".Course-before")).to_have_count(1)
    page.reload()  # all of it stands in the address
    expect(row.get_by_role("cell")).to_have_text(["90", "50"])
    older.get_by_role("button", name="Archive").click()
    expect(row).to_have_count(0)


def test_a_world_is_drawn_by_keys_and_by_mouse_and_run_in(page: Page) -> None:
    page.goto("/fern/drive?behaviour=follow-pid&world=corners")
    page.get_by_role("button", name="Change it", exact=True).click()
    expect(heading(page)).to_have_text("Draw a world")
    parts = page.get_by_label("What is in the world")
    page.get_by_label("Name", exact=True).fill("bench course")
    point = page.get_by_role("button", name=re.compile("^line 1, point 2, at"))
    was = point.get_attribute("aria-label") or ""
    point.focus()
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Shift+ArrowRight")
    x, y = (float(each) for each in was.split(" at ")[1].split(", "))
    expect(point).to_have_attribute("aria-label", f"line 1, point 2, at {x + 1:g}, {y + 10:g}")
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo").click()
    expect(point).to_have_attribute("aria-label", was)
    parts.get_by_role("button", name="Empty the floor").click()
    expect(point).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(point).to_have_attribute("aria-label", was)
    parts.get_by_role("button", name="Box").click()
    corner = page.get_by_role("button", name=re.compile("^box 1, corner 1, at"))
    before = corner.get_attribute("aria-label") or ""
    box = corner.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] - 40, box["y"] + 30, steps=4)
    page.mouse.up()
    expect(corner).not_to_have_attribute("aria-label", before)
    page.get_by_role("button", name="Undo").click()  # a drag is undone as a whole
    expect(corner).to_have_attribute("aria-label", before)
    point.focus()
    parts.get_by_label("tape").fill("-3")
    page.get_by_role("button", name="Keep bench course").click()
    expect(page.locator(".next")).to_contain_text("(lines[0].width_mm)")  # nothing is lost
    expect(page.get_by_label("Name", exact=True)).to_have_value("bench course")
    parts.get_by_label("tape").fill("25")
    page.get_by_role("button", name="Keep bench course").click()
    expect(page.get_by_label("World", exact=True)).to_have_value("bench course")
    expect(drawing(page, "bench course")).to_be_visible()
    page.get_by_role("button", name="Change it", exact=True).click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Save bench course as SVG").click()
    assert download.value.suggested_filename == "bench-course.svg"
    page.get_by_role("button", name="Delete bench course").click()
    expect(page.get_by_label("World", exact=True)).not_to_have_value("bench course")


def test_a_ramp_is_put_on_a_table_and_slows_what_goes_up(page: Page) -> None:
    page.goto("/fern/drive?behaviour=edge-guard&world=table&view=world")
    parts = page.get_by_label("What is in the world")
    page.get_by_label("Name", exact=True).fill("ramp")
    parts.get_by_role("button", name="Patch: light or ramp").click()
    expect(parts.get_by_label("Point")).to_have_value("patch 1, corner 1")  # what was put in is in the hand
    parts.get_by_label("more light").fill("0")
    parts.get_by_label("steep").fill("12")
    parts.get_by_label("uphill to").fill("15")
    expect(page.locator(".GroundDrawn-uphill")).to_be_attached()
    page.get_by_role("button", name="Keep ramp").click()
    expect(page.get_by_label("World", exact=True)).to_have_value("ramp")
    expect(drawing(page, "ramp").locator(".GroundDrawn-uphill")).to_be_attached()


def test_lanes_are_chosen_ways_laid_beside_each_other_and_a_run_is_saved(page: Page) -> None:
    page.goto("/fern/drive?behaviour=follow-pid&world=path")
    lanes = page.get_by_label(re.compile("^Lanes of the run"))
    expect(lanes.locator(".Lanes-track")).to_have_count(5)
    page.get_by_text(re.compile("^Lanes, 6 of")).click()
    page.get_by_label("battery gauge", exact=True).check()
    expect(lanes).to_contain_text("battery gauge")
    page.get_by_label("row: left at the top").uncheck()
    expect(lanes.locator(".Lanes-track")).to_have_count(0)

    page.get_by_text("Other behaviours on this course").click()
    table = page.get_by_role("table", name="Every behaviour on path")
    expect(table.get_by_role("row")).to_have_count(8)
    table.get_by_role("button", name="Follow by the table, 3 sensors").click()
    expect(page.get_by_label("Behaviour", exact=True)).to_have_value("follow-table")
    expect(page).to_have_url(re.compile("read_sensors"))
    expect(heading(page)).to_have_text(re.compile("^Follows the line"))

    with page.expect_download() as download:
        page.get_by_role("button", name="Save as file").click()
    assert download.value.suggested_filename == "fern-follow-table-path.json"
    saved = run_to_plain(run(request_from_json(download.value.path().read_text())))
    expect(heading(page)).to_have_text(saved["verdict"])


def test_a_drawing_is_taken_in_looked_at_and_kept_and_one_with_a_script_refused(page: Page) -> None:
    page.goto("/fern/drive?view=world&world=oval")
    place = page.get_by_label("World file", exact=True)
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="1200mm" height="800mm" viewBox="0 0 1200 800">'
        '{}<path d="M100 700H1000" stroke="#000" stroke-width="19" fill="none"/></svg>'
    )
    script = svg.format("<script>alert(1)</script>").encode()
    place.set_input_files({"name": "yard.svg", "mimeType": "image/svg+xml", "buffer": script})
    expect(page.locator(".next")).to_contain_text("A drawing may hold no <script>")
    expect(page.get_by_label("Name", exact=True)).to_have_value("oval, mine")  # what was there stands
    plain = svg.format("").encode()
    place.set_input_files({"name": "yard.svg", "mimeType": "image/svg+xml", "buffer": plain})
    expect(page.get_by_label("Name", exact=True)).to_have_value("yard")
    expect(page.get_by_role("button", name="line 1, point 2, at 1000, 100")).to_be_visible()
    page.get_by_role("button", name="Keep yard").click()
    expect(drawing(page, "yard")).to_be_visible()


def test_the_stand_in_drives_what_was_run_and_is_watched(page: Page) -> None:
    page.goto("/fern/drive")
    page.get_by_role("button", name="Let the stand-in drive it").click()
    expect_notice(page, "The stand-in drives")
    expect(page.get_by_role("button", name="Set the stand-in back to the start")).to_be_visible()
    page.get_by_role("link", name=re.compile("^2 Watch")).click()
    watched = page.get_by_role("main")
    expect(watched).to_contain_text(re.compile("Line under the middle|Line .* of the middle"))
    expect(page.locator(".Row-watch-row").filter(has_text="wheel").first).to_contain_text(
        re.compile(r"0\.[1-9]")
    )
    page.locator(".source").click()
    page.get_by_role("button", name="Move the stand-in").click()
    drawer = page.get_by_role("dialog", name="Stand-in")
    expect(drawer).to_contain_text("On the track: follow-pid in path, at")
    drawer.get_by_role("button", name="Back to the bench").click()
    expect_notice(page, "back on the bench")
    expect(drawer).not_to_contain_text("On the track")


def test_a_long_run_is_shown_while_it_is_worked_out_and_stopped(page: Page, served: Served) -> None:
    made = served.client.post("/api/rigs", json={"title": "Long beam", "template": "T07"}).json()
    page.goto(f"/{made['slug']}/drive?behaviour=hold-distance&seconds=600&set=loop_ms:0.4")
    progress = page.get_by_role("progressbar", name="How much of the run is worked out")
    expect(progress).to_be_visible()
    page.get_by_role("button", name="Stop it").click()
    expect(heading(page)).to_have_text("The run was stopped: nothing of it is kept.")
    page.get_by_label("Lasts").select_option("10")
    expect(heading(page)).to_have_text(re.compile("^Holds"))
