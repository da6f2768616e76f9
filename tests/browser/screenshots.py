"""Renew docs/screenshots: walk the demo in a fresh data folder and keep a picture of each main view."""

from __future__ import annotations

import re
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT))

from tests.browser.conftest import CHROMIUM, FLAGS  # noqa: E402
from tests.served import Served  # noqa: E402

FOLDER = ROOT / "docs" / "screenshots"
FROM_THE_TOP = ("watch", "watch-phone", "findings")
PLACES = (150, 250, 400, 600, 900)


def keep(page: Page, name: str) -> None:
    """One picture of what is on the screen."""
    page.wait_for_timeout(700)
    if name in FROM_THE_TOP:
        page.locator("#work").evaluate("element => { element.scrollTop = 0 }")
    page.screenshot(path=FOLDER / f"{name}.png")
    print(f"docs/screenshots/{name}.png")


def settle(page: Page) -> None:
    """Wait for the line that says what was done, and for it to go."""
    page.locator(".frame-notice").wait_for()
    page.locator(".frame-notice").wait_for(state="hidden")


def hold(page: Page, served: Served, places: tuple[int, ...], already: int = 0) -> None:
    """Hold the target at places by the ruler, one after the other."""
    for held, mm in enumerate(places, start=already + 1):
        served.hands({"front-ranger.target_mm": mm})
        page.get_by_label("The ruler says").fill(str(mm))
        page.get_by_label("The ruler says").press("Enter")
        page.locator(f".Steps-places .Steps-held:nth-of-type({held})").wait_for(timeout=20_000)


def poses_and_line(page: Page, served: Served) -> None:
    """Four of six poses, the fifth on its way; then ground and line under the row."""
    page.goto(f"{served.address}/fern/calibrate?sensor=tilt&procedure=poses")
    page.locator(".next").get_by_role("button", name=re.compile("^Hold ")).click()
    for held, (nose, left) in enumerate(((0, 0), (180, 0), (90, 0), (-90, 0)), start=1):
        served.hands({"tilt.nose_up_deg": nose, "tilt.left_up_deg": left})
        page.locator(f".Steps-places .Steps-held:nth-of-type({held})").wait_for(timeout=30_000)
    served.hands({"tilt.nose_up_deg": 0, "tilt.left_up_deg": 84})
    page.wait_for_timeout(300)
    keep(page, "calibrate-poses")
    page.get_by_role("button", name="Stop holding").click()
    served.hands({"tilt.nose_up_deg": 0, "tilt.left_up_deg": 0, "line-row.ground": 1})
    page.goto(f"{served.address}/fern/calibrate?sensor=line-row&procedure=line")
    page.wait_for_timeout(2500)
    page.locator(".next").get_by_role("button", name=re.compile("^Hold ")).click()
    page.locator(".Steps-places .Steps-held:nth-of-type(1)").wait_for(timeout=30_000)
    served.hands({"line-row.ground": 2})
    page.locator(".Steps-places .Steps-held:nth-of-type(2)").wait_for(timeout=30_000)
    page.wait_for_timeout(1200)
    keep(page, "calibrate-line")
    served.hands({"line-row.ground": 0})
    if page.get_by_role("button", name="Stop R").count():
        page.keyboard.press("r")
    page.goto(f"{served.address}/fern/calibrate?sensor=front-ranger")
    page.locator(".Calibrate-calibrate").wait_for()


def door_file() -> str:
    """Invented readings, as a program of one's own would log them."""
    rows = ["time (ms);front (cm);air;left;centre;right;mark"]
    for i in range(400):
        mark = "50 cm" if 100 <= i < 130 else ""
        front = 50 if mark else 40 + i / 20
        levels = f"{300 + i % 7};{620 + i % 9};{310 + i % 5}"
        rows.append(f"{i * 20};{front:.1f};{21 + i / 400:.1f};{levels};{mark}".replace(".", ","))
        if i in (3, 77):
            rows.append("0;;err 0x3f")
    return "\n".join(rows)


def walk(page: Page, served: Served) -> None:
    """From the wire to the stone."""
    page.goto("/rigs")
    page.locator(".Rigs-rig-list li").first.wait_for()
    keep(page, "rigs")
    page.goto("/fern/wire")
    page.get_by_label("Board", exact=True).select_option("wide-3v3")
    page.locator(".HarnessDrawing-fault-tag").wait_for()
    page.get_by_role("button", name="Close this line").click()
    keep(page, "wire")
    page.get_by_role("button", name="Undo the last change").click()
    settle(page)
    page.goto("/fern/wire?view=checklist")
    boxes = page.locator(".Checklist-step input[type=checkbox]")
    boxes.first.wait_for()
    heading = page.locator("h2", has_text="First power")
    for place in range(boxes.count() - 9):
        boxes.nth(place).check()
    page.locator(".Checklist-step small").nth(boxes.count() - 10).wait_for()
    heading.evaluate("element => element.scrollIntoView({ block: 'center' })")
    keep(page, "wire-checklist")
    page.goto("/fern/watch?view=import")
    file = {"name": "past the door.csv", "mimeType": "text/csv", "buffer": door_file().encode()}
    page.get_by_label("Files of readings").set_input_files(file)
    page.get_by_label("What left means").select_option("line-row|s1")
    page.get_by_label("What centre means").select_option("line-row|s3")
    page.locator(".Import-bad-lines").wait_for()
    keep(page, "import")
    page.get_by_role("button", name="Discard file").click()
    page.goto("/fern/watch")
    page.get_by_role("button", name="Connect the stand-in C").click()
    served.hands(
        {
            "front-ranger.target_mm": 1600,
            "line-row.line_mm": 14,
            "line-row.moves_mm_s": -1,
            "tilt.nose_up_deg": 4,
            "wheel.speed_m_s": 0.14,
            "wheel.gain_m_s2": 2,
            "battery-gauge.battery_v": 7.4,
        }
    )
    page.wait_for_timeout(9000)
    page.keyboard.press("r")
    page.wait_for_timeout(2500)
    page.keyboard.press("m")
    page.wait_for_timeout(800)
    served.hands({"front-ranger.moves_mm_s": -140})
    page.wait_for_timeout(7500)
    page.locator(".frame-notice").wait_for(state="hidden")
    keep(page, "watch")
    page.set_viewport_size({"width": 390, "height": 844})
    keep(page, "watch-phone")
    page.set_viewport_size({"width": 1280, "height": 800})
    served.hands({"front-ranger.moves_mm_s": 0, "front-ranger.fault.zeros": 1})
    page.wait_for_timeout(3500)
    served.hands({"front-ranger.fault.zeros": 0, "line-row.fault.spikes": 1})
    page.wait_for_timeout(3000)
    served.hands({"line-row.fault.spikes": 0})
    page.wait_for_timeout(2000)
    page.keyboard.press("r")
    page.get_by_role("button", name="Record R").wait_for()
    page.locator(".recordings .link").first.click()
    page.get_by_role("button", name=re.compile("lanes")).click()
    page.get_by_label("air: air temperature").click()
    page.keyboard.press("Escape")
    page.locator(".Lanes-lane-faults text").first.wait_for()
    page.locator(".Findings-findings details").first.wait_for()
    page.evaluate("document.activeElement.blur()")
    settle(page)
    keep(page, "findings")
    page.get_by_role("button", name="Back to live readings").click()
    page.wait_for_timeout(500)
    page.keyboard.press("4")
    hold(page, served, PLACES[:3])
    page.get_by_label("The ruler says").fill("600")
    page.get_by_label("The ruler says").press("Enter")
    page.wait_for_timeout(1500)
    served.hands({"front-ranger.target_mm": 600})
    page.wait_for_timeout(900)
    keep(page, "calibrate-ranger")
    page.locator(".Steps-places .Steps-held:nth-of-type(4)").wait_for(timeout=20_000)
    hold(page, served, PLACES[4:], already=4)
    page.locator(".next").get_by_role("button", name="Accept").click()
    settle(page)
    poses_and_line(page, served)
    served.hands({"front-ranger.target_mm": 302})
    page.keyboard.press("3")
    page.wait_for_timeout(1500)
    keep(page, "convert")
    page.get_by_role("button", name="timer planner").click()
    page.locator(".PlanChart-plan .PlanChart-best").wait_for()
    page.locator(".PlanChart-plan svg").hover(position={"x": 430, "y": 120})
    keep(page, "timer-planner")
    page.get_by_role("button", name="second opinion").click()
    page.get_by_role("button", name="Show me three on one shaft").click()
    page.locator(".SecondOpinion-opinion .SecondOpinion-outlier").wait_for()
    keep(page, "second-opinion")
    known = {one["name"]: one["id"] for one in served.client.get("/api/rigs/fern/recordings").json()}
    lights = [known[f"Line row, {light}"] for light in ("with a load of trays", "lamp off", "lamp on")]
    aside = known["Line row, the evening before"]
    page.goto(f"/fern/decide?sensor=line-row&from={','.join(map(str, lights))}&test={aside}")
    page.locator(".Heaps-heaps").wait_for()
    page.locator("h1", has_text="far right is not").wait_for()
    page.wait_for_timeout(800)
    keep(page, "decide-line")
    page.goto(f"/fern/decide?sensor=front-ranger&from={known['Pushed at a box']}")
    page.get_by_role("button", name=re.compile("^Choose")).click()
    settle(page)
    keep(page, "decide-obstacle")
    page.keyboard.press("6")
    page.locator("h1", has_text="Follows the line").wait_for()
    page.get_by_label("cruise", exact=True).fill("90")
    page.locator("h1", has_text="Leaves the line").wait_for()
    page.evaluate("document.activeElement.blur()")
    keep(page, "drive")
    page.keyboard.press("7")
    page.get_by_label("Why this stone").fill("first bench calibration")
    page.locator("[data-list=stones]").get_by_role("button", name="Cut stone 1").click()
    page.locator("h1", has_text="Stone 1 holds everything").wait_for()
    page.get_by_label("Note", exact=True).fill("Trays on: check the braking again")
    page.get_by_role("button", name="Add note").click()
    page.mouse.move(640, 400)
    page.wait_for_timeout(600)
    keep(page, "log")


def main() -> None:
    """Serve a fresh demo, walk it, stop it."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="tick-stone-pictures-") as name, sync_playwright() as playwright:
        Path(name).chmod(0o711)
        served = Served(Path(name), None)
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(base_url=served.address, viewport={"width": 1280, "height": 800})
        try:
            walk(page, served)
        finally:
            browser.close()
            served.stop()


if __name__ == "__main__":
    main()
