"""What a hand needs on a phone, and a keyboard anywhere: nothing runs out of the page, targets for a thumb,
names that differ."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import KEPT_BY_THE_PAGE
from tests.served import Served

VIEWS = (
    "rigs",
    "convert",
    *(f"fern/wire?view={view}" for view in ("", "checklist", "schedule", "plan", "parts", "program")),
    "fern/watch",
    "fern/watch?recording=1",
    "fern/convert",
    "fern/calibrate?sensor=line-row",
    "fern/calibrate?sensor=front-ranger",
    "fern/decide?sensor=line-row",
    "fern/decide?sensor=front-ranger",
    "fern/drive",
    "fern/drive?view=world&world=oval",
    "fern/log",
)
# everything that is pressed or set; handles in drawings have their equal beside the drawing, what stands in a
# sentence is as high as its line, and the way past the menus is off the page until it has the focus
CONTROLS = """
[...document.querySelectorAll(":is(main, header, nav) :is(button, a[href], select, input, summary)")]
  .filter((e) => {
    const box = e.getBoundingClientRect();
    const shown = e.checkVisibility({ opacityProperty: true, visibilityProperty: true }) && box.width > 1;
    return shown && box.bottom > 0 && !e.closest("svg") && !(e.matches(".link") && e.closest("p"));
  })
"""
SMALL = f"""
() => {CONTROLS}
  .map((e) => (e.matches("[type=checkbox], [type=radio]") ? (e.closest("label") ?? e.parentElement) : e))
  .map((e) => [e.getBoundingClientRect(), (e.ariaLabel ?? e.textContent).trim().slice(0, 40)])
  .filter(([box]) => box.height < 43.5 || box.width < 43.5)
  .map(([box, name]) => `${{name}}: ${{Math.round(box.width)}} × ${{Math.round(box.height)}}`)
"""
OVER = "() => document.documentElement.scrollWidth - window.innerWidth"


NAMES = f"""
() => {CONTROLS}.filter((e) => !e.matches("a, .link")).map((e) => {{
  const group = e.closest("[aria-label]:not(button, input, select), fieldset, nav, form, tr, li");
  const label = e.ariaLabel ?? e.labels?.[0]?.textContent ?? e.placeholder ?? e.textContent;
  const where = group?.ariaLabel ?? group?.querySelector("legend, th, b")?.textContent ?? "";
  return `${{e.tagName}} “${{(label || e.textContent).trim()}}” in “${{where.trim()}}”`;
}})
"""


@pytest.fixture(scope="module")
def phone(chromium: Browser, one_server: Served) -> Iterator[Page]:
    context = chromium.new_context(
        base_url=one_server.address, viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True
    )
    context.add_init_script(KEPT_BY_THE_PAGE)
    context.set_default_timeout(45_000)
    yield context.new_page()
    context.close()


@pytest.mark.parametrize("view", VIEWS)
def test_a_hand_finds_every_target_and_a_name_for_each(phone: Page, view: str) -> None:
    """Nothing runs over, targets are a thumb wide (44 px: WCAG 2.5.5), and names differ within their group;
    links to one place may have one name."""
    phone.goto(f"/{view}")
    phone.evaluate("window.quietFor(20)")
    assert phone.evaluate(OVER) <= 0
    assert phone.evaluate(SMALL) == []
    names = phone.evaluate(NAMES)
    assert len(names) > 1
    assert not [name for name in names if "“”" in name.split(" in ")[0]]
    assert not {name for name in names if names.count(name) > 1}


def test_a_long_name_of_a_rig_covers_nothing(page: Page) -> None:
    title = "The very long name of a rig that nobody would ever type in"
    assert page.request.post("/api/rigs", data={"title": title, "template": "T12"}).ok
    page.set_viewport_size({"width": 1024, "height": 700})
    page.goto("/rigs")
    page.get_by_role("link", name=title).first.click()
    settings = page.get_by_role("button", name="Settings")
    settings.wait_for()
    box = settings.bounding_box()
    assert box
    assert box["x"] + box["width"] <= 1024
    assert page.evaluate(OVER) <= 0


def test_the_focus_goes_to_what_comes_next(page: Page) -> None:
    page.goto("/fern/watch")
    page.get_by_role("button", name="First look at the bench").first.press("Enter")
    expect(page.locator("h1")).to_contain_text("First look at the bench")
    expect(page.locator("#work")).to_be_focused()
    page.goto("/fern/wire?view=parts")
    page.get_by_role("button", name="Take off air").press("Enter")
    undo = page.locator(".frame-notice").get_by_role("button", name="Undo")
    undo.press("Enter")
    expect(page.get_by_role("button", name="Take off air")).to_be_visible()
    expect(page.locator("#work")).to_be_focused()
    page.goto("/heron/calibrate?sensor=wheel&procedure=roll-out")
    for run in (1, 2):
        form = page.get_by_role("form", name=f"run {run}")
        form.get_by_label("Whole turns").fill("10")
        form.get_by_label("Distance along the tape").fill(f"2042{run}")
        form.get_by_label("Distance along the tape").press("Enter")
        following = page.get_by_role("form", name=f"run {run + 1}").get_by_label("Whole turns")
        expect(following).to_be_focused()
