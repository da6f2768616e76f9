"""Wire as a person uses it: fit a part, move a wire by hand and by keys, mend, undo, build, take the program
along."""

from __future__ import annotations

import itertools
import json
import re
from xml.etree import ElementTree

import pytest
from playwright.sync_api import Page, expect

from tests.browser.steps import expect_notice, settled, take_back
from tests.served import Served
from tickstone.core.rigs.templates import template
from tickstone.formats.rig_json import rig_to_json

_NUMBER = itertools.count(1)


@pytest.fixture
def fern(one_server: Served) -> str:
    """The address of a Fern of one's own on the shared server."""
    slug = one_server.client.post("/api/rigs/fern/duplicate", json={"title": f"Fern {next(_NUMBER)}"}).json()[
        "slug"
    ]
    return f"/{slug}/wire"


def heading(page: Page):
    return page.locator("h1")


def open_view(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Views of the wiring").get_by_role(
        "button", name=name, exact=True
    ).click()


def end_of(page: Page, wire: str):
    return page.get_by_role("button", name=re.compile(f"^{wire} on "))


def test_a_part_is_fitted_with_its_questions_and_taken_off_again(bench: Page, fern: str) -> None:
    bench.goto(f"{fern}?view=parts")
    bench.get_by_role("button", name="Fit a part").click()
    bench.get_by_role("button", name="rotary encoder, two channels").click()
    bench.get_by_label("Its name on this rig").fill("roller")
    bench.get_by_label("pull-up resistor").select_option("module")
    bench.get_by_role("button", name=re.compile("^Fit ")).click()
    card = bench.get_by_role("form", name="roller")
    expect(card).to_contain_text("a → int 2")
    expect_notice(bench, "Fitted and wired")
    card.locator("summary").click()
    card.get_by_label("pull-up resistor").select_option("none")
    card.get_by_role("button", name="Keep the change").click()
    open_view(bench, "schedule")
    expect(bench.get_by_role("row", name=re.compile("roller a"))).to_contain_text("up to 5 V")
    open_view(bench, "parts")
    bench.get_by_role("button", name="Take off roller").click()
    expect(card).to_have_count(0)
    take_back(bench)
    expect(card).to_be_visible()


def test_a_number_that_cannot_be_is_refused_where_it_was_typed_and_stays(bench: Page, fern: str) -> None:
    bench.goto(f"{fern}?view=parts&fit=line-sensors")
    bench.get_by_label("sensors in the row").fill("12")
    expect(bench.get_by_role("button", name=re.compile("^Fit "))).to_be_disabled()
    expect(bench.locator(".Parts-fit-part [role=alert]").first).to_have_text("from 1 to 8")
    expect(bench.get_by_label("sensors in the row")).to_have_value("12")


def test_a_wire_is_moved_in_the_harness_by_mouse_and_by_keyboard(bench: Page, fern: str) -> None:
    bench.goto(fern)
    end = end_of(bench, "wheel output")
    expect(end).to_have_accessible_name("wheel output on int 1: move it")
    bench.locator(".HarnessDrawing-sensor").get_by_role("button", name="Hall switch").click()
    box = end.bounding_box()
    bench.mouse.move(box["x"] + 4, box["y"] + 4)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 20, box["y"] + 20, steps=4)
    target = bench.locator(".HarnessDrawing-comb-pin", has_text="int 2").locator("rect").bounding_box()
    bench.mouse.move(target["x"] + 4, target["y"] + target["height"] / 2, steps=6)
    expect(bench.locator(".HarnessDrawing-comb-pin.HarnessDrawing-over")).to_contain_text("int 2")
    bench.mouse.up()
    expect(end).to_have_accessible_name("wheel output on int 2: move it")
    expect_notice(bench, "output is on int 2 now")
    end.focus()
    bench.keyboard.press("Enter")
    expect(bench.locator(".HarnessDrawing-harness-said")).to_contain_text("Arrows choose")
    bench.keyboard.press("ArrowUp")
    bench.keyboard.press("Enter")
    expect(end).to_have_accessible_name("wheel output on int 1: move it")
    end.focus()
    bench.keyboard.press("Enter")
    bench.keyboard.press("ArrowDown")
    bench.keyboard.press("Escape")
    expect(end).to_have_accessible_name("wheel output on int 1: move it")


def test_the_known_trap_is_seen_and_mended_in_the_harness(bench: Page) -> None:
    document = json.loads(rig_to_json(template("T20")))
    wire = next(w for w in document["wires"] if w["pin"] == "echo")
    wire["divider"] = {"top_ohm": 10_000, "bottom_ohm": 4_700}
    bench.goto("/rigs")
    bench.get_by_label("Name", exact=True).fill("Trap")
    bench.get_by_label("Open a rig file").set_input_files(
        {"name": "trap.json", "mimeType": "application/json", "buffer": json.dumps(document).encode()}
    )
    expect(heading(bench)).to_have_text("One wire would not work")
    expect(bench.locator(".HarnessDrawing-fault-tag")).to_contain_text("1.60 V, high from 2.00 V")
    bench.locator(".HarnessDrawing-fault-tag").get_by_role("button", name="Add divider").click()
    expect(heading(bench)).to_have_text("Nothing burns, and every wire can be read")
    take_back(bench)
    expect(heading(bench)).to_have_text("One wire would not work")


def test_a_damaged_rig_file_is_refused_in_words_and_changes_nothing(bench: Page) -> None:
    bench.goto("/rigs")
    bench.locator(".Rigs-rig-list > li").first.wait_for()
    before = bench.locator(".Rigs-rig-list > li").count()
    for text, said in (('{"schema": 9, "board": {}, "sensors": []}', "version 9"), ("{", "not JSON")):
        bench.get_by_label("Open a rig file").set_input_files(
            {"name": "bad.json", "mimeType": "application/json", "buffer": text.encode()}
        )
        expect(bench.locator("#rig-fault")).to_contain_text(said)
    expect(bench.locator(".Rigs-rig-list > li")).to_have_count(before)


def test_rigs_begin_from_templates_and_are_renamed_duplicated_archived_and_brought_back(page: Page) -> None:
    page.goto("/rigs")
    page.locator(".Rigs-rig-list > li").first.wait_for()  # the list pushes the form down as it comes
    page.get_by_label("Name", exact=True).fill("Bench bar")
    chips = page.get_by_role("group", name="What lies on the bench?")
    templates = page.get_by_role("group", name="Begin with").get_by_role("radio")
    expect(templates).to_have_count(22)  # and from scratch
    chips.get_by_role("button", name="microphone level").click()
    expect(templates).to_have_count(2)
    chips.get_by_role("button", name="microphone level").click()
    page.get_by_role("button", name="Make rig").click()
    expect(page.get_by_role("alert")).to_have_text("Choose what it begins with.")
    page.get_by_role("radio", name="Ranger with an eight-step LED bar").check(force=True)
    page.get_by_role("button", name="Make rig").click()
    expect(page).to_have_url(re.compile("/bench-bar/wire"))
    expect(page.locator(".HarnessDrawing-harness .HarnessDrawing-resistor")).to_have_count(8)
    page.goto("/rigs")
    row = page.locator(".Rigs-rig-list > li", has_text="Bench bar")
    row.get_by_role("button", name="Rename").click()
    row.get_by_label("Title").fill("Bar lamp")
    row.locator("form").get_by_role("button", name="Rename").click()
    row = page.locator(".Rigs-rig-list > li", has_text="Bar lamp")
    row.get_by_role("button", name="Duplicate").click()
    row.locator("form").get_by_role("button", name="Duplicate").click()
    expect(page.locator(".Rigs-rig-list > li")).to_have_count(5)
    row.first.get_by_role("button", name="Archive").click()
    expect(page.locator(".Rigs-rig-list > li")).to_have_count(4)
    page.locator(".Rigs-notice").get_by_role("button", name="Undo").click()
    expect(page.locator(".Rigs-rig-list > li")).to_have_count(5)
    page.locator(".Rigs-rig-list > li", has_text="Bar lamp two").get_by_role("button", name="Archive").click()
    page.locator(".Rigs-archived summary").click()
    page.locator(".Rigs-archived").get_by_role("button", name="Bring back").click()
    expect(page.locator(".Rigs-rig-list > li")).to_have_count(5)


def test_the_plan_follows_its_numbers(bench: Page, fern: str) -> None:
    bench.goto(f"{fern}?view=plan")
    expect(bench.locator(".PlanDrawing-rig-plan")).to_contain_text("front ranger, 120 mm up")
    width = bench.locator(".PlanDrawing-plan-body").get_attribute("width")
    bench.get_by_label("width", exact=True).fill("400")
    expect(bench.locator(".PlanDrawing-plan-body")).not_to_have_attribute("width", width)
    bench.get_by_label("line row height").fill("12")
    bench.get_by_role("button", name="Keep sizes and places").click()
    expect_notice(bench, "Sizes and places")
    expect(bench.locator(".PlanDrawing-rig-plan")).to_contain_text("line row, 12 mm up")
    bench.get_by_label("wheel diameter").fill("-4")
    bench.get_by_role("button", name="Keep sizes and places").click()
    expect(bench.locator(".frame-work [role=alert]").first).to_contain_text("wheel_mm must be above 0")
    expect(bench.get_by_label("wheel diameter")).to_have_value("-4")


def test_a_part_in_a_wire_is_touched_says_why_it_is_there_and_is_taken_out(bench: Page, fern: str) -> None:
    bench.goto(fern)
    parts = bench.get_by_role("button", name=re.compile("^In the wire of wheel output"))
    parts.locator(".HarnessDrawing-resistor").click()
    why = bench.get_by_role("dialog", name="In the wire of wheel output")
    expect(why).to_contain_text("because output only pulls low")
    bench.keyboard.press("Escape")
    expect(why).to_have_count(0)
    expect(parts).to_be_focused()
    bench.keyboard.press("Enter")
    why.get_by_role("button", name=re.compile("^Mine has none")).click()
    expect(parts).to_have_count(0)
    expect(bench.locator("h1")).to_have_text("One wire would not work")


def test_a_board_of_ones_own_is_drawn_and_wires_go_along_with_its_names(bench: Page, fern: str) -> None:
    bench.goto(f"{fern}?view=board")
    expect(bench.locator("h1")).not_to_contain_text("changed")
    pin = bench.get_by_role("button", name=re.compile("^Pin int 1 interrupt"))
    pin.focus()
    bench.keyboard.press("Enter")
    bench.get_by_label("printed on it").fill("D2")
    expect(bench.get_by_role("button", name=re.compile("^Pin D2 "))).to_be_visible()
    bench.get_by_text("Levels and limits:").click()
    bears = bench.get_by_label("a pin bears at most")
    for nonsense in ("abc", "-5"):
        bears.fill(nonsense)
        expect(
            bench.locator(".BoardEditor-board-editor [role=alert]", has_text=re.compile("."))
        ).to_be_visible()
        expect(bench.get_by_role("button", name="Keep this board")).to_be_disabled()  # nothing can be sent
        expect(bears).to_have_value(nonsense)
    bears.fill("3.0")
    bench.get_by_role("button", name="Keep this board").click()
    expect(bench.locator(".frame-work [role=alert]").first).to_contain_text("Levels must rise")
    bears.fill("5.5")
    bench.get_by_role("button", name="Keep this board").click()
    expect(bench.get_by_text("Your own board.")).to_be_visible()
    open_view(bench, "harness")
    expect(end_of(bench, "wheel output")).to_have_accessible_name(re.compile("on D2"))
    open_view(bench, "board")
    bench.get_by_role("button", name="Name all pins as in the program").click()
    bench.get_by_role("button", name="Keep this board").click()
    expect_notice(bench, "is kept")
    open_view(bench, "schedule")
    expect(bench.locator(".Schedule-schedule, main table").first).to_contain_text("A0")
    open_view(bench, "harness")
    expect(end_of(bench, "wheel output")).to_have_accessible_name(re.compile("on 2"))


def test_a_board_is_begun_from_one_that_is_near_or_from_a_list_of_pins(bench: Page, fern: str) -> None:
    bench.goto(f"{fern}?view=board")
    pins = bench.get_by_role("button", name=re.compile("^Pin "))
    bench.get_by_label("Begin from").select_option(label="3.3 V dual-core 32-bit board")
    expect(bench.get_by_label("Name", exact=True)).to_have_value("3.3 V dual-core 32-bit board")
    expect(bench.get_by_text("Levels and limits:")).to_contain_text("gives 3.3 V")
    bench.get_by_text("Paste a pin list").click()
    many = (
        "\n".join(f"P{i} int pwm" for i in range(1, 13)) + "\nA0\nA1\nA2\nA3\nA4\nA5\nA6\nSDA\nSCL telepathy"
    )
    bench.get_by_label("Pin list").fill(many)
    bench.get_by_role("button", name="Take these pins").click()
    expect(bench.get_by_role("alert").filter(has_text="Line 21: “telepathy”")).to_be_visible()
    bench.get_by_label("Pin list").fill(many.replace(" telepathy", ""))
    bench.get_by_role("button", name="Take these pins").click()
    expect(pins).to_have_count(21)
    bench.get_by_role("button", name="Keep this board").click()
    expect(bench.get_by_text("Your own board.")).to_be_visible()
    expect(bench.get_by_role("button", name="Pin P1 interrupt, pwm")).to_be_visible()
    open_view(bench, "harness")
    expect(end_of(bench, "wheel output")).to_have_accessible_name(re.compile(r"on P\d"))


def test_supplies_and_pins_of_a_board_come_and_go(bench: Page, fern: str) -> None:
    bench.goto(f"{fern}?view=parts")
    supplies = bench.locator(".Supplies-supplies")
    rows = supplies.locator("tbody tr")
    expect(supplies).to_be_visible()
    before = rows.count()
    supplies.get_by_role("button", name="Add a supply").click()
    expect(rows).to_have_count(before + 1)
    mine = rows.nth(before)
    mine.get_by_label("Name").fill("motor pack")
    volts = mine.get_by_label("motor pack volts", exact=True)
    volts.fill("twelve")
    expect(supplies.get_by_role("button", name="Keep the supplies")).to_be_disabled()
    expect(volts).to_have_value("twelve")
    volts.fill("11.1")
    mine.get_by_label("motor pack most_v").fill("12.6")
    mine.get_by_label("motor pack minus").uncheck()
    supplies.get_by_role("button", name="Keep the supplies").click()
    expect_notice(bench, "The supplies are changed")
    bench.reload()
    expect(rows.nth(before).get_by_label("Name")).to_have_value("motor pack")
    expect(rows.nth(before).get_by_label("motor pack minus")).not_to_be_checked()
    rows.nth(before).get_by_role("button", name="Remove").click()
    supplies.get_by_role("button", name="Keep the supplies").click()
    expect(rows).to_have_count(before)
    open_view(bench, "board")
    pins = bench.get_by_role("button", name=re.compile("^Pin "))
    expect(pins.first).to_be_visible()
    count = pins.count()
    bench.get_by_role("button", name="Add a pin").click()
    bench.get_by_label("printed on it").fill("spare")
    bench.get_by_label("in the program").fill("99")
    bench.get_by_label("analogue", exact=True).check()
    bench.get_by_label("digital", exact=True).uncheck()
    bench.get_by_label("timer behind it").fill("T9")
    bench.get_by_role("button", name="Keep this board").click()
    expect(bench.get_by_text("Your own board.")).to_be_visible()
    bench.get_by_role("combobox", name=re.compile("^Pin")).select_option(label="spare")
    expect(bench.get_by_label("timer behind it")).to_have_value("T9")
    expect(pins).to_have_count(count + 1)
    bench.get_by_role("button", name="Remove pin spare").click()
    expect(pins).to_have_count(count)


def test_rails_timers_and_programs_of_a_board_are_said_and_refused_where_they_cannot_be(
    bench: Page, fern: str
) -> None:
    bench.goto(f"{fern}?view=board")
    name = bench.get_by_label("Name", exact=True)
    own = name.input_value()
    bench.get_by_text("Rails, timers and programs:").click()
    name.fill("A board of my own")
    bench.get_by_label("servo", exact=True).fill("T2")
    bench.get_by_label("tone", exact=True).fill("")
    bench.get_by_label("C++", exact=True).uncheck()
    bench.get_by_role("combobox", name=re.compile("^Python")).select_option("machine")
    rail = bench.get_by_label(re.compile("^volts of")).first
    volts = rail.input_value()
    rail.fill("-5")
    expect(bench.locator(".field-fault", has_text="cannot be below 0")).to_be_visible()
    expect(bench.get_by_role("button", name="Keep this board")).to_be_disabled()
    rail.fill(volts)
    expect(bench.get_by_role("button", name="Keep this board")).to_be_enabled()
    bench.get_by_role("button", name="Cancel").click()
    expect(name).to_have_value(own)
    bench.get_by_text("Rails, timers and programs:").click()
    expect(bench.get_by_label("C++", exact=True)).to_be_checked()
    bench.get_by_label("name of rail 1").fill("")
    bench.get_by_role("button", name="Keep this board").click()
    expect(bench.get_by_role("alert").filter(has_text="rail")).to_be_visible()
    bench.get_by_label("name of rail 1").fill("main")
    bench.get_by_label("servo", exact=True).fill("T2")
    bench.get_by_role("combobox", name=re.compile("^Python")).select_option("machine")
    bench.get_by_label("C++", exact=True).uncheck()
    bench.get_by_role("button", name="Keep this board").click()
    expect(bench.get_by_text("Your own board.")).to_be_visible()
    bench.reload()
    bench.get_by_text("Rails, timers and programs:").click()
    expect(bench.get_by_label("name of rail 1")).to_have_value("main")
    expect(bench.get_by_label("servo", exact=True)).to_have_value("T2")
    open_view(bench, "watch program")
    expect(bench.locator("pre")).to_contain_text("import machine")


def test_the_checklist_keeps_its_ticks_and_asks_who_looked(bench: Page, fern: str) -> None:
    bench.goto(fern)
    expect(bench.locator(".next")).to_contain_text(
        re.compile(r"before first power, the checklist: \d+ steps")
    )
    bench.locator(".next").get_by_role("button", name="Checklist").click()
    expect(bench.locator(".wire-wire-board")).to_contain_text("0 of")
    step = bench.locator(".Checklist-step", has_text="wheel output to int 1")
    step.get_by_role("checkbox").check()
    expect(step.locator("small")).to_contain_text(re.compile(r"\d{2}"))
    second = bench.locator(".Checklist-step", has_text="Somebody else went through")
    second.get_by_role("checkbox").click()
    expect(second.get_by_role("alert")).to_contain_text("Say who looked")
    second.get_by_label("Who looked").fill("the neighbour")
    second.get_by_role("checkbox").check()
    expect(second).to_contain_text("the neighbour")
    bench.reload()
    expect(step.get_by_role("checkbox")).to_be_checked()
    expect(bench.locator(".wire-wire-board")).to_contain_text("2 of")
    boxes = bench.locator(".Checklist-step input[type=checkbox]")
    for place in range(12):
        boxes.nth(place).check()  # one after the other, without a pause
    expect(bench.locator(".Checklist-step small")).to_have_count(14)


def test_drawing_schedule_and_program_are_taken_along(bench: Page) -> None:
    bench.goto("/heron/wire")
    with bench.expect_download() as download:
        bench.get_by_role("button", name="Save as SVG").click()
    drawing = ElementTree.fromstring(download.value.path().read_text())
    assert download.value.suggested_filename == "heron-harness.svg"
    text = "".join(drawing.itertext())
    for word in ("hub motor", "3.3 V", "10\u2009kΩ", "free 1"):
        assert word in text
    assert not drawing.findall(".//{*}foreignObject")
    open_view(bench, "schedule")
    for name, ending in (("Wires as CSV", "schedule.csv"), ("Parts as CSV", "parts.csv")):
        with bench.expect_download() as download:
            bench.get_by_role("link", name=name).click()
        assert download.value.suggested_filename == f"heron-{ending}"
    with bench.expect_download() as download:
        bench.get_by_role("button", name="Both as JSON").click()
    assert len(json.loads(download.value.path().read_text())["wires"]) == 11
    open_view(bench, "watch program")
    bench.get_by_role("button", name="Python").click()
    expect(bench.locator(".Program-program")).to_contain_text("def loop():")
    with bench.expect_download() as download:
        bench.get_by_role("button", name="Download program").click()
    assert download.value.suggested_filename == "heron_watch.py"
    compile(download.value.path().read_text(), "heron_watch.py", "exec")
    bench.context.grant_permissions(["clipboard-read", "clipboard-write"])
    bench.get_by_role("button", name="Copy").click()
    expect_notice(bench, "on the clipboard")
    assert "def loop():" in bench.evaluate("navigator.clipboard.readText()")


def test_schedule_and_checklist_print_on_a4_and_letter_without_the_frame(bench: Page) -> None:
    bench.emulate_media(media="print")
    for view in ("schedule", "checklist"):
        bench.goto(f"/heron/wire?view={view}")
        expect(bench.locator(".wire-print-title")).to_be_visible()
        for hidden in (".Rule-rule", ".frame-slab", ".frame-tape", ".frame-top", ".benches-benches"):
            expect(bench.locator(hidden)).to_be_hidden()
        for size in ("A4", "Letter"):
            paper = bench.pdf(format=size)
            assert paper.startswith(b"%PDF")


def test_every_view_works_for_a_rig_of_no_sizes_and_on_a_narrow_screen(bench: Page) -> None:
    bench.goto("/plume/wire?view=plan")
    expect(bench.locator(".empty")).to_contain_text("Nothing is known of its sizes yet")
    bench.set_viewport_size({"width": 390, "height": 780})
    for view in ("parts", "board", "schedule", "checklist", "program", "plan"):
        bench.goto(f"/fern/wire?view={view}")
        settled(bench)
        assert bench.evaluate("document.documentElement.scrollWidth <= innerWidth"), view


def test_wires_are_ticked_as_they_go_in_in_either_order(page: Page) -> None:
    page.goto("/heron/wire?view=schedule")
    expect(page.locator(".Schedule-order")).to_contain_text("0 of 11 are in")
    page.get_by_label("hub motor h1 is in").click()
    expect(page.locator(".Schedule-order")).to_contain_text("1 of 11 are in")
    page.get_by_label("Order").select_option("along the board")
    ends = page.locator("tbody tr td select").first
    expect(ends).to_have_value("5 V")
    expect(page.get_by_label("hub motor h1 is in")).to_be_checked()
    page.get_by_label("hub motor h1 is in").click()
    expect(page.locator(".Schedule-order")).to_contain_text("0 of 11 are in")


def test_a_part_that_the_wire_on_the_bench_has_not_is_taken_out_and_brought_back(page: Page) -> None:
    page.goto("/fern/wire?view=parts")
    wires = page.locator(".InWires-in-wires")
    expect(wires).to_contain_text("because output only pulls low")
    page.get_by_role("button", name="Mine has none: pull-up at wheel output").click()
    expect(page.locator("h1")).not_to_contain_text("every wire can be read")
    page.locator(".frame-notice").get_by_role("button", name="Undo").click()
    expect(page.locator("h1")).to_contain_text("every wire can be read")
    expect(wires).to_contain_text("wheel, output")
