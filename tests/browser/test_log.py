"""The log in the browser: notes, what a line leads to, stones cut with their reason and held against each
other."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.steps import expect_notice, heading
from tests.served import Served


def test_a_note_is_written_and_found_and_a_line_leads_to_what_it_is_about(page: Page, served: Served) -> None:
    served.client.put(
        "/api/rigs/fern/sensors/front-ranger/constants/drive_speed", json={"value": 0.3}
    ).raise_for_status()
    page.goto("/fern/log")
    lines = page.locator(".Log-timeline ol li")
    page.get_by_label("Note", exact=True).fill("  ")
    page.get_by_role("button", name="Add note").click()
    expect(page.get_by_label("Note", exact=True)).to_have_value("  ")  # nothing was written
    page.get_by_label("Note", exact=True).fill("New tyres, 2 mm thicker")
    page.get_by_role("button", name="Add note").click()
    expect(lines.first).to_contain_text("New tyres, 2 mm thicker")
    expect(page.get_by_label("Note", exact=True)).to_have_value("")
    page.get_by_label("Search the log").fill("tyres")
    expect(lines).to_have_count(1)
    page.get_by_label("Search the log").fill("")
    page.get_by_role("button", name=re.compile("cart speed set to 0.3")).click()
    expect(page).to_have_url(re.compile("/fern/decide"))
    page.go_back()
    page.get_by_role("button", name=re.compile("Recording kept: First look")).click()
    expect(heading(page)).to_contain_text("First look at the bench")


def test_stones_are_cut_with_a_reason_and_held_against_each_other(page: Page, served: Served) -> None:
    page.goto("/fern/log")
    cut = page.locator("[data-list=stones] form").get_by_role("button")
    stone = page.get_by_role("combobox", name="Stone", exact=True)
    page.get_by_label("Why this stone").fill("before the new tyres")
    expect(cut).to_have_text("Cut stone 1")
    cut.click()
    expect_notice(page, "Stone 1 is cut")
    expect(page.locator(".Stones-stone-why")).to_have_text("before the new tyres")
    expect(page.get_by_label("Why this stone")).to_have_value("")
    served.client.put(
        "/api/rigs/fern/sensors/front-ranger/constants/drive_speed", json={"value": 0.3}
    ).raise_for_status()
    page.get_by_label("The stone being carved").get_by_role("button", name="Cut stone 2 of Fern").click()
    expect_notice(page, "Stone 2 of Fern is cut")
    expect(stone).to_have_value("2")
    expect(page.locator("[data-list=stones] tbody tr.table-changed")).to_have_count(1)
    stone.select_option("1")
    expect(page.locator(".Stones-stone-why")).to_have_text("before the new tyres")
    expect(page).to_have_url(re.compile("stone=1"))
    page.get_by_role("button", name="Stone 2 of Fern cut").click()
    expect(stone).to_have_value("2")
    with page.expect_download() as taken:
        page.get_by_role("link", name="C header").click()
    header = taken.value.path().read_text()
    assert taken.value.suggested_filename == "fern_stone_2.h"
    assert re.search(r"FRONT_RANGER_DRIVE_SPEED_\w+ = 0\.3f;", header)
