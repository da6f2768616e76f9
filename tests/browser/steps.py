"""What every walk in the browser does: connect, record until so much is on disk, open what was recorded."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Locator, Page, Route, expect

from tests.conftest import until

OLDEST = "First look at the bench"  # the demo's newest recording, before any of a test's own


def heading(page: Page) -> Locator:
    """The one sentence a screen begins with."""
    return page.locator("h1")


def connect(page: Page, address: str = "/fern/watch") -> None:
    """Open Watch on the stand-in."""
    page.goto(address)
    page.get_by_role("button", name="Connect the stand-in C").click()
    expect(page.locator(".source-live")).to_be_visible()


def recorded_rows(page: Page) -> int:
    """How many rows the screen calls recorded."""
    return int(re.sub(r"\D", "", page.locator(".TopLine-recorded b").inner_text()) or 0)


def record_on(page: Page, rows: int) -> None:
    """Let a running recording grow by so many rows."""
    expect(page.locator(".TopLine-recorded b")).to_have_text(re.compile(r"^[1-9]"))
    before = recorded_rows(page)
    until(lambda: recorded_rows(page) >= before + rows)


def stop_and_open(page: Page) -> None:
    """End the recording by its key, and open it from the list."""
    page.keyboard.press("r")
    expect(page.get_by_role("button", name="Record R")).to_be_visible()
    newest = page.locator(".recordings li").first
    expect(newest).not_to_contain_text(OLDEST)
    expect(newest).not_to_contain_text("running")
    newest.get_by_role("button").click()


def settled(page: Page) -> None:
    """Wait until a screen has all it asked for: nothing is unanswered for ten frames."""
    page.locator("h1").wait_for()
    page.evaluate("window.quietFor(10)")


def expect_notice(page: Page, text: str) -> None:
    """Wait for a notice above the tape: it may be gone again by now."""
    page.wait_for_function("text => window.notices.some((notice) => notice.text.includes(text))", arg=text)


@contextmanager
def answers_held(page: Page, pattern: str) -> Iterator[None]:
    """Keep the answers to what the page looks at waiting, as a slow machine would; they come at the end."""
    waiting: list[Route] = []
    holding = True

    def answer(route: Route) -> None:
        if holding and route.request.method == "GET":
            waiting.append(route)
        else:
            route.continue_()

    page.route(pattern, answer)
    yield
    holding = False
    for route in waiting:
        route.continue_()
    settled(page)


def take_back(page: Page) -> None:
    """Press Undo in the line above the tape, in the page's own time: that line stays for ten seconds only."""
    page.wait_for_function(
        """() => {
          const buttons = [...document.querySelectorAll(".frame-notice button")];
          const undo = buttons.find((button) => button.textContent === "Undo");
          undo?.click();
          return undo !== undefined;
        }"""
    )
