"""Two windows on the same thing: who comes second is told what the first made of it, and loses nothing."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.steps import expect_notice
from tests.served import Served

RECORDING = "/fern/watch?recording=1"


def test_a_note_and_a_mark_changed_elsewhere_while_they_are_typed(page: Page, served: Served) -> None:
    page.goto(RECORDING)
    note = page.get_by_label("Note", exact=True)
    note.fill("mine")
    served.client.patch("/api/recordings/1", json={"note": "theirs"}).raise_for_status()
    told = page.get_by_role("alert").filter(has_text="Changed in another window meanwhile: “theirs”")
    expect(told).to_be_visible()
    note.blur()
    expect(note).to_have_value("mine")
    told.get_by_role("button", name="Keep mine").click()
    expect_notice(page, "Noted")
    expect(told).to_have_count(0)
    expect(page.locator(".about-recording")).to_contain_text("“theirs”, until")
    assert served.client.get("/api/recordings/1").json()["recording"]["note"] == "mine"

    marks = page.locator(".OpenedRecording-recorded-lists section").first
    mark = served.client.get("/api/recordings/1").json()["marks"][0]
    marks.get_by_role("button", name="Change").first.click()
    words = page.get_by_role("textbox", name="Words")
    words.fill("white")
    served.client.patch(f"/api/marks/{mark['id']}", json={"label": "black"}).raise_for_status()
    page.get_by_role("button", name="Keep mark").click()
    expect_notice(page, "changed in another window meanwhile")
    expect(words).to_have_value("white")
    expect(marks).to_contain_text(f"“{mark['label']}”")
    page.get_by_role("button", name="Keep mark").click()
    expect(marks.get_by_role("button", name="white", exact=True)).to_be_visible()


def test_a_constant_set_elsewhere_while_it_is_typed(page: Page, served: Served) -> None:
    page.goto("/fern/wire")
    page.locator("#constant-height").click()
    page.get_by_label("You measured").fill("131")
    height = "/api/rigs/fern/sensors/front-ranger/constants/height"
    served.client.put(height, json={"value": 121}).raise_for_status()
    page.get_by_role("button", name="Set it").click()
    expect(page.get_by_role("alert").filter(has_text="121 mm meanwhile")).to_be_visible()
    expect(page.get_by_label("You measured")).to_have_value("131")
    expect(page.locator("#constant-height")).to_contain_text("121")
    page.get_by_role("button", name="Set it").click()
    expect(page.locator("#constant-height")).to_contain_text("131")
