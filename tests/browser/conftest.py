"""A real browser on a real server: headless Chromium from Debian, the API, the database, the stand-in."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.conftest import Served

CHROMIUM = "/usr/bin/chromium"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync"]  # fmt: skip
expect.set_options(timeout=15_000)


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def page(chromium: Browser, served: Served) -> Iterator[Page]:
    """A page on the demo; anything the page itself complains about fails the test."""
    context = chromium.new_context(
        base_url=served.address, viewport={"width": 1280, "height": 800}, reduced_motion="reduce"
    )
    opened = context.new_page()
    complaints: list[str] = []
    opened.on("pageerror", lambda error: complaints.append(str(error)))
    outside: list[str] = []
    opened.on("request", lambda request: outside.append(request.url))
    yield opened
    context.close()
    assert complaints == []
    assert [url for url in outside if not url.startswith(("http://127.0.0.1:", "data:", "blob:"))] == []
