"""Faults of a sensor, of pulses and of the line: each is named at Watch, and goes when it is switched off."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.steps import connect, record_on, stop_and_open
from tests.served import Served

LONGEST_MS = 60_000

FAULTS = [
    ("front-ranger.fault.zeros", "Front ranger: readings drop out"),
    ("wheel.fault.missed", "Wheel: pulses are missing"),
    ("board.fault.garbled", "The line: lines come garbled"),
]  # every fault by itself: tests/actions/test_diagnosing.py


def test_faults_at_the_stand_in_are_named_and_gone_again(page: Page, served: Served) -> None:
    connect(page)
    served.hands({"wheel.speed_m_s": 2, "wheel.gain_m_s2": 10, "room.mains": 1})
    expect(page.locator("h1")).to_contain_text("standing still")
    findings = page.get_by_role("region", name="What looks wrong")
    expect(findings).to_have_count(0)
    before = None
    for hand, named in FAULTS:
        served.hands({hand: 1})
        expect(findings.get_by_text(named)).to_be_visible(timeout=LONGEST_MS)
        expect(page.locator("h1")).to_contain_text(re.compile(":.*"))
        if before:
            expect(findings.get_by_text(before)).to_have_count(0, timeout=LONGEST_MS)
        served.hands({hand: 0})
        before = named
    expect(findings).to_have_count(0, timeout=LONGEST_MS)
    expect(page.locator("h1")).to_contain_text("standing still")


def test_left_and_right_are_told_by_a_mark_and_a_recording_shows_where(page: Page, served: Served) -> None:
    connect(page)
    served.hands({"line-row.line_mm": 60, "line-row.fault.swapped": 1})
    page.keyboard.press("r")
    record_on(page, 250)
    served.hands({"line-row.line_mm": -24})
    record_on(page, 300)
    page.get_by_role("button", name="Words for a mark").click()
    page.get_by_role("textbox", name="Words").fill("left")
    page.get_by_role("textbox", name="The last").fill("1.5")
    page.get_by_role("button", name="Add mark").click()
    findings = page.get_by_role("region", name="What looks wrong")
    expect(findings.get_by_text("Line row: two are changed over")).to_be_visible()
    expect(findings).to_contain_text("Cover the leftmost sensor alone with your finger")
    expect(page.locator("h1")).to_have_text("Line row: two are changed over")
    expect(page.locator(".next")).to_contain_text("Cover the leftmost sensor")
    expect(page.get_by_role("link", name=re.compile("Watch.*Line row: two are changed over"))).to_be_visible()
    page.get_by_role("button", name="Look at Line row").click()
    wrong = page.get_by_role("list", name="What looks wrong with it")
    expect(wrong).to_contain_text(re.compile(r"two are changed over\..*leftmost sensor s5 answers by"))
    served.hands({"front-ranger.fault.zeros": 1, "line-row.fault.swapped": 0})
    record_on(page, 300)
    stop_and_open(page)
    # a machine that is busy loses lines, too, and says so
    expect(page.locator("h1")).to_contain_text(re.compile(": [2-9] things look wrong"))
    lanes = page.locator(".Lanes-lane-faults")
    expect(lanes.get_by_text("✕ swapped")).to_have_count(1)
    expect(lanes.get_by_text("✕ dropouts")).to_have_count(1)
    swapped = findings.locator("details").filter(has_text="two are changed over")
    if swapped.get_attribute("open") is None:
        swapped.locator("summary").click()
    swapped.get_by_role("button", name=re.compile(r"^Show \d")).click()  # the span of the mark
    expect(page.get_by_role("button", name="Show all of it")).to_be_visible()
    served.hands({"front-ranger.fault.zeros": 0})


def test_a_healthy_recording_says_so(bench: Page) -> None:
    bench.goto("/fern/watch")
    bench.locator(".recordings .link").first.click()
    expect(bench.get_by_role("region", name="What looks wrong")).to_contain_text("Nothing looks wrong")
    expect(bench.locator("h1")).to_have_text("First look at the bench")
    expect(bench.locator(".Lanes-lane-faults text")).to_have_count(0)
