"""One walk from the wire to the constant, as a person does it; and what must hold on the way."""

from __future__ import annotations

import json
import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.steps import expect_notice, heading, record_on, stop_and_open
from tests.served import Served


def hands(served: Served, **changes) -> None:
    """Move hands of the front ranger."""
    served.hands({f"front-ranger.{name}": value for name, value in changes.items()})


def connect(page: Page) -> None:
    page.keyboard.press("c")
    expect(page.locator(".source-live")).to_be_visible()


def test_from_the_wire_to_the_constant(page: Page, served: Served) -> None:
    # 1. Wire: the board that cannot bear 5 V, the fix, the undo.
    page.goto("/")
    expect(heading(page)).to_have_text("3 rigs on the bench, wired without a fault")
    page.get_by_role("link", name=re.compile("^Fern")).click()
    expect(heading(page)).to_have_text("Nothing burns, and every wire can be read")
    expect(page.locator(".HarnessDrawing-harness .HarnessDrawing-sensor").first).to_be_visible()
    page.get_by_label("Board", exact=True).select_option("wide-3v3")
    expect(heading(page)).to_have_text("One wire would harm the board")
    expect(page.locator(".HarnessDrawing-fault-tag")).to_contain_text("5.0 V into 3.6 V")
    page.locator(".HarnessDrawing-fault-tag").get_by_role("button", name="Add divider").click()
    expect(heading(page)).to_have_text("Nothing burns, and every wire can be read")
    expect(page.locator(".HarnessDrawing-harness .HarnessDrawing-part-text").first).to_contain_text("kΩ")
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(heading(page)).to_have_text("One wire would harm the board")
    page.get_by_role("button", name="Undo the last change").click()
    expect(page.get_by_label("Board", exact=True)).to_have_value("small-5v")

    # 2. Watch: connect, record, mark, stop, open again.
    page.keyboard.press("2")
    expect(heading(page)).to_have_text("Nothing is connected yet")
    connect(page)
    expect(heading(page)).to_have_text(re.compile("standing still"))
    expect(page.locator(".Row-watch-row").first).to_contain_text("µs")
    expect(page.locator(".Watch-health")).to_contain_text(re.compile(r"[1-9]\d+ lines/s"))
    page.keyboard.press("r")
    expect(page.locator(".TopLine-recorded b")).to_have_text(re.compile(r"^[1-9]"))
    page.keyboard.press("m")
    expect_notice(page, "Marked")
    record_on(page, 400)
    stop_and_open(page)
    expect(page.get_by_role("heading", name="Marks")).to_be_visible()
    expect(page.locator(".Lanes-lane-name").first).to_have_text("front ranger")
    expect(page.locator(".OpenedRecording-recorded-lists .link").first).to_have_text("mark")
    page.locator(".Lanes-lanes svg").click(position={"x": 400, "y": 90})
    expect(page.locator(".ReadOuts-read-outs .ReadOuts-at-cursor").first).to_contain_text("mm")

    # 3. Convert: from the recording's cursor, live, and typed.
    page.get_by_role("button", name="Work it out").click()
    expect(heading(page)).to_have_text(re.compile(r"µs is 8\d\d"))
    expect(page.get_by_role("button", name="at the cursor")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="live", exact=True).click()
    expect(heading(page)).to_have_text(re.compile(r"µs is 8\d\d"))
    page.get_by_label("echo time", exact=True).fill("0")
    expect(heading(page)).to_have_text(re.compile("0\\Dµs is no distance: dropout"))
    page.get_by_label("echo time", exact=True).fill("1748")
    expect(heading(page)).to_have_text(re.compile(r"1\D748\Dµs is 30\d"))
    expect(page.locator(".Shares-share-labels")).to_contain_text("air temperature")
    expect(page.locator(".Rules-rules .Rules-flag-text")).to_have_count(6)
    page.get_by_label("Wanted distance").fill("300")
    expect(page.locator(".Backwards-inverse")).to_contain_text(re.compile(r"would read 1\D7\d\d"))

    # 4. Calibrate: five distances by the ruler, taken when still.
    page.get_by_role("link", name="Calibrate").click()
    for held, mm in enumerate((150, 250, 400, 600, 900), start=1):
        hands(served, target_mm=mm)
        page.get_by_label("The ruler says").fill(str(mm))
        page.get_by_label("The ruler says").press("Enter")
        expect(page.locator(".Steps-places .Steps-held")).to_have_count(held, timeout=20_000)
    expect(heading(page)).to_have_text(re.compile(r"Every place held; sound is 34\d\.\d ± "))
    page.locator(".next").get_by_role("button", name="Accept").click()
    expect(heading(page)).to_have_text(re.compile("Calibrated today"))
    offset = page.locator("#constant-offset")
    expect(offset).to_contain_text("measured")
    offset.click()
    expect(page.get_by_role("dialog", name="offset")).to_contain_text("Open the recording behind it")
    page.keyboard.press("Escape")

    # 5. Decide: nudge the ochre tick, choose.
    page.locator("#work").click(position={"x": 600, "y": 5})
    page.keyboard.press("5")
    expect(heading(page)).to_have_text(re.compile(r"must begin to stop at 2\d\d mm"))
    before = int(page.get_by_role("slider", name="Trip distance").get_attribute("aria-valuenow") or 0)
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_role("slider", name="Trip distance")).to_have_attribute(
        "aria-valuenow", str(before + 11)
    )
    page.get_by_role("button", name=re.compile("^Choose")).click()
    expect(heading(page)).to_have_text(
        re.compile(rf"Tripping at {before + 11} mm stops the cart \d+ mm before it would touch")
    )
    expect(page.locator("#constant-trip")).to_contain_text("chosen")

    # 6. Log: cut a stone, take it along.
    page.keyboard.press("7")
    page.locator(".next").get_by_role("button", name="Cut stone 1").click()
    expect(heading(page)).to_have_text("Stone 1 holds everything as it stands")
    expect(page.locator(".frame-slab")).to_contain_text("Download header of stone 1")
    with page.expect_download() as download:
        page.get_by_role("link", name="JSON").click()
    constants = json.loads(download.value.path().read_text())["constants"]
    assert constants["FRONT_RANGER_TRIP_MM"]["value"] == before + 11
    assert constants["FRONT_RANGER_SOUND_M_PER_S"]["provenance"] == "measured"
    for name in ("C header", "Python"):
        with page.expect_download():
            page.get_by_role("link", name=name).click()
    for word in ("stone", "calibration", "recording", "wiring"):
        expect(page.locator(".Log-timeline ol")).to_contain_text(word)

    # Everything is there after a restart.
    served.process.terminate()
    served.process.join()
    served.start()
    page.goto(f"{served.address}/fern/log")
    expect(heading(page)).to_have_text("Stone 1 holds everything as it stands")


def test_a_new_choice_of_speed_makes_the_trip_stale_and_says_so(page: Page) -> None:
    page.goto("/fern/decide")
    page.get_by_role("button", name=re.compile("^Choose")).click()
    expect(heading(page)).to_have_text(re.compile("before it would touch"))
    page.get_by_role("textbox", name="cart speed", exact=True).fill("0.9")
    expect(heading(page)).to_have_text("Choose again: cart speed changed since")
    expect(page.locator(".Floor-sums")).to_contain_text("too late by")
    expect(page.locator("#constant-trip")).to_contain_text("stale: cart speed changed since")
    expect(page.get_by_role("link", name=re.compile("Decide.*no longer holds"))).to_be_visible()


@pytest.mark.parametrize(
    ("address", "label", "value", "said"),
    [
        ("/fern/decide", "braking", "0", "cannot be below"),
        ("/fern/decide", "votes", "many", "is not a number"),
        ("/fern/convert", "echo time", "-5", "cannot be below 0"),
        ("/fern/convert", "Wanted distance", "1e9", "cannot be above"),
    ],
)
def test_every_field_refuses_what_cannot_be_and_keeps_what_was_typed(
    page: Page, address: str, label: str, value: str, said: str
) -> None:
    page.goto(address)
    field = page.get_by_label(label, exact=True)
    field.fill(value)
    expect(page.locator(".field-fault")).to_contain_text(said)
    expect(field).to_have_value(value)
    expect(field).to_have_attribute("aria-invalid", "true")


def test_the_forms_of_slab_and_rigs_refuse_too(page: Page) -> None:
    page.goto("/fern/convert")
    page.locator("#constant-humidity").click()
    page.get_by_label("You measured").fill("140")
    page.get_by_role("button", name="Set it").click()
    expect(page.get_by_role("dialog").locator(".field-fault")).to_contain_text("between 0 and 100")
    page.get_by_label("You measured").fill("62")
    page.get_by_role("button", name="Set it").click()
    expect(page.locator("#constant-humidity")).to_contain_text("measured")
    page.goto("/rigs")
    page.get_by_role("button", name="Make rig").click()
    expect(page.locator("#rig-fault")).to_contain_text("Choose what it begins with")
    plume = page.locator(".Rigs-rig-list > li", has_text="Plume")
    for button, title, why in (
        ("Rename", "?", "at least one letter or digit"),
        ("Duplicate", "Fern", "a rig 'fern' already"),
    ):
        plume.get_by_role("button", name=button).click()
        plume.get_by_label("Title").fill(title)
        plume.get_by_label("Title").press("Enter")
        expect(page.get_by_role("status")).to_contain_text(why)
        expect(plume.get_by_label("Title")).to_have_value(title)
        plume.get_by_role("button", name="Cancel").click()
    page.get_by_label("Name", exact=True).fill("Second float")
    page.get_by_role("radio", name="One sensor on a board").check(force=True)
    page.get_by_role("button", name="Make rig").click()
    expect(page).to_have_url(re.compile("/second-float/wire"))
