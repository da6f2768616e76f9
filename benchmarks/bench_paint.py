"""Recordings of 1 000 000 and 10 000 000 readings opened and zoomed in a real browser: from a click or the
address to the lanes drawn."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright
from tests.browser.conftest import CHROMIUM, FLAGS
from tests.served import Served

from benchmarks.common import bench_database, report
from tickstone.core.rigs.kinds import kind
from tickstone.store import recordings, rigs
from tickstone.store.database import Database

STEP_US = 500


def recorded(database: Database, rows: int) -> int:
    """A recording of so many echoes, with dropouts."""
    random = np.random.default_rng(2)
    echoes = (
        (4920 + np.cumsum(random.normal(0, 0.3, rows)) + random.normal(0, 4, rows)).clip(300, 20_000).round()
    )
    echoes[random.random(rows) < 0.001] = 0.0
    with database.transaction() as session:
        rig = rigs.rig_named(session, "fern")
        recording_id = recordings.begin(
            session,
            rig_id=rig.id,
            revision_id=rig.revision_id,
            name=f"{rows} readings",
            origin="live",
            source="benchmark",
            clock="device",
            streams=[
                recordings.NewStream("front-ranger", "front-ranger", kind("ultrasonic-ranger").channels)
            ],
        )
        recordings.write_rows(session, recording_id, "front-ranger", np.arange(rows) * STEP_US, [echoes])
        recordings.close(session, recording_id)
    return recording_id


def opened_s(page: Page, recording_id: int) -> float:
    """Seconds from the address to the lanes drawn."""
    page.goto("/rigs")
    page.wait_for_timeout(500)
    begin = time.perf_counter()
    page.goto(f"/fern/watch?recording={recording_id}&show=front-ranger", wait_until="commit")
    page.locator(".Lanes-lanes path[d]").first.wait_for()
    return time.perf_counter() - begin


def from_the_list_s(page: Page, name: str) -> float:
    """Seconds from a click in the list of recordings to the lanes drawn."""
    page.goto("/fern/watch?view=recordings")
    link = page.locator(".AllRecordings-all-recordings").get_by_role("button", name=name)
    link.wait_for()
    page.wait_for_timeout(1500)  # a person finds the one they want
    begin = time.perf_counter()
    link.click()
    page.locator(".Lanes-lanes path[d]").first.wait_for()
    return time.perf_counter() - begin


def zoomed_s(page: Page) -> float:
    """Seconds from a turn of the wheel to the closer lanes drawn."""
    page.locator(".Lanes-lanes svg").hover(position={"x": 500, "y": 100})
    before = page.locator(".Lanes-lanes .Lanes-lane-band").get_attribute("d")
    begin = time.perf_counter()
    page.mouse.wheel(0, -200)
    page.wait_for_function(
        "d => document.querySelector('.Lanes-lanes .Lanes-lane-band')?.getAttribute('d') !== d", arg=before
    )
    with page.expect_response(lambda answer: "/lanes" in answer.url):
        page.mouse.wheel(0, -200)
    return time.perf_counter() - begin


def main() -> None:
    """Run and report."""
    with (
        bench_database() as (database, url),
        tempfile.TemporaryDirectory() as name,
        sync_playwright() as playwright,
    ):
        Path(name).chmod(0o711)
        one, ten = recorded(database, 1_000_000), recorded(database, 10_000_000)
        served = Served(Path(name), url)
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(base_url=served.address, viewport={"width": 1280, "height": 800})
        try:
            opened_s(page, 1)  # the scripts are read once
            for rows, recording_id, count in (("1 million", one, 1_000_000), ("10 million", ten, 10_000_000)):
                listed = from_the_list_s(page, f"{count} readings")
                addressed = opened_s(page, recording_id)
                report(
                    f"paint {rows}", first_paint_s=listed, by_address_s=addressed, two_zooms_s=zoomed_s(page)
                )
        finally:
            browser.close()
            served.stop()


if __name__ == "__main__":
    main()
