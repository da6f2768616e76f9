"""Drive in a real browser: from a changed number to the new way drawn, and how smoothly a long one plays."""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright
from tests.browser.conftest import CHROMIUM, FLAGS
from tests.served import Served

from benchmarks.common import bench_database, report

CHANGES = 11
WAY = "[...document.querySelectorAll('.Course-way')].map(path => path.getAttribute('d')).join()"
# types a number into a field and waits for the frame in which the way is another one
CHANGED = f"""([label, value]) => new Promise(done => {{
  const input = [...document.querySelectorAll('label')].find(each => each.textContent === label)
    .parentElement.querySelector('input')
  const before = {WAY}
  const begun = performance.now()
  Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(input, value)
  input.dispatchEvent(new Event('input', {{ bubbles: true }}))
  const look = () => {WAY} === before ? requestAnimationFrame(look) : done(performance.now() - begun)
  requestAnimationFrame(look)
}})"""
FRAMES = """seconds => new Promise(done => {
  let frames = 0
  const begun = performance.now()
  const next = () => {
    frames += 1
    if (performance.now() - begun < 1000 * seconds) requestAnimationFrame(next)
    else done(frames / seconds)
  }
  requestAnimationFrame(next)
})"""


def changed_ms(page: Page) -> float:
    """Milliseconds from a changed number to the new way of a run of 20 s drawn, median."""
    page.goto("/fern/drive?seconds=20")
    page.locator(".Course-way").first.wait_for()
    page.wait_for_timeout(3000)  # what is compiled meanwhile
    taken = [page.evaluate(CHANGED, ["kp", f"{1 + 0.03 * k:g}"]) for k in range(1, CHANGES + 1)]
    return statistics.median(taken)


def frames_per_s(page: Page) -> tuple[float, int]:
    """Frames a second while a way of many places is played, and how many those are."""
    page.goto("/fern/drive?seconds=300")
    page.locator(".Course-way").first.wait_for()
    page.wait_for_timeout(2000)
    places = page.evaluate(f"{WAY}.split('L').length")
    page.get_by_label("Speed").select_option("4")
    page.get_by_role("button", name="Play").click()
    return page.evaluate(FRAMES, 4), places


def main() -> None:
    """Run and report."""
    with (
        bench_database() as (_, url),
        tempfile.TemporaryDirectory() as name,
        sync_playwright() as playwright,
    ):
        Path(name).chmod(0o711)
        served = Served(Path(name), url)
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(base_url=served.address, viewport={"width": 1280, "height": 800})
        try:
            report("drive page", changed_to_drawn_ms=changed_ms(page))
            frames, places = frames_per_s(page)
            report("drive page", frames_per_s=frames, places=places)
        finally:
            browser.close()
            served.stop()


if __name__ == "__main__":
    main()
