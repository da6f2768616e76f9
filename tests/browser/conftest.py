"""A real browser on a real server: headless Chromium from Debian, the API, the database, the stand-in."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.served import Served
from tickstone.launch.machine import CHROMIUM

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
expect.set_options(timeout=45_000)  # a busy machine is no finding
# A notice stays for seconds only: the page itself keeps them, and how long each stood; and it counts what it
# has asked and
# not been answered.
KEPT_BY_THE_PAGE = """
  window.notices = [];
  new MutationObserver(() => {
    const text = document.querySelector(".frame-notice")?.textContent ?? "", last = window.notices.at(-1);
    if (last && !last.until && last.text !== text) last.until = performance.now();
    if (text && (!last || last.until)) window.notices.push({text, from: performance.now()});
  }).observe(document, {subtree: true, childList: true, characterData: true});
  window.unanswered = 0;
  const fetched = window.fetch;
  window.fetch = async (...asked) => {
    window.unanswered += 1;
    try {
      const answer = await fetched(...asked);
      await answer.clone().arrayBuffer();
      return answer;
    } finally { window.unanswered -= 1; }
  };
  window.quietFor = (frames) => new Promise((resolve) => {
    let quiet = 0;
    (function frame() {
      quiet = window.unanswered || !document.querySelector("h1") ? 0 : quiet + 1;
      if (quiet > frames) resolve(); else requestAnimationFrame(frame);
    })();
  });
"""


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def page(chromium: Browser, served: Served) -> Iterator[Page]:
    """A page on the demo; anything the page itself complains about fails the test."""
    yield from watched_page(chromium, served)


@pytest.fixture(scope="session")
def one_server(new_database: Callable[[], str]) -> Iterator[Served]:
    """A server for all tests that leave nothing behind."""
    with tempfile.TemporaryDirectory(prefix="tick-stone-data-") as name:
        Path(name).chmod(0o711)
        server = Served(Path(name), new_database())
        yield server
        server.stop()


@pytest.fixture
def bench(chromium: Browser, one_server: Served) -> Iterator[Page]:
    """A page for tests that only look and compute: they share one server."""
    yield from watched_page(chromium, one_server)


def watched_page(chromium: Browser, served: Served) -> Iterator[Page]:
    """A page that must not complain, nor ask anything of the outside."""
    context = chromium.new_context(
        base_url=served.address, viewport={"width": 1280, "height": 800}, reduced_motion="reduce"
    )
    context.add_init_script(KEPT_BY_THE_PAGE)
    context.set_default_timeout(45_000)
    opened = context.new_page()
    complaints: list[str] = []
    opened.on("pageerror", lambda error: complaints.append(str(error)))
    outside: list[str] = []
    opened.on("request", lambda request: outside.append(request.url))
    yield opened
    context.close()
    assert complaints == []
    assert [url for url in outside if not url.startswith(("http://127.0.0.1:", "data:", "blob:"))] == []
