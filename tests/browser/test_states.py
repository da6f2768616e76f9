"""Empty, lost, away, narrow, by keyboard, in both themes: what every screen owes a person."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.steps import answers_held, expect_notice, heading, settled
from tests.served import Served
from tickstone.launch.folders import WEB

AXE = (WEB / "node_modules" / "axe-core" / "axe.min.js").read_text()
STATIONS = ("wire", "watch", "convert", "calibrate", "decide", "drive", "log")


STANDARDS = {
    "type": "tag",
    "values": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"],
}
COLOURS = {"type": "rule", "values": ["color-contrast"]}  # all that a theme changes


def violations(page: Page, what: dict) -> list[str]:
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE)
    found = page.evaluate("what => axe.run(document, {runOnly: what, resultTypes: ['violations']})", what)
    return [
        f"{v['id']}: {n['html'][:160]} {n['failureSummary'][:200]}"
        for v in found["violations"]
        for n in v["nodes"]
    ]


def violations_by_day_and_night(page: Page) -> list[str]:
    """All standards in the day's colours, and the colours of the night again."""
    found = violations(page, STANDARDS)
    page.evaluate("document.documentElement.dataset.bsTheme = 'dark'")
    found += [f"night, {one}" for one in violations(page, COLOURS)]
    page.evaluate("document.documentElement.dataset.bsTheme = 'light'")
    return found


def nothing_is_found(page: Page, *addresses: str) -> None:
    """At any of these addresses."""
    found = []
    for address in addresses:
        page.goto(address)
        settled(page)
        found += [f"{address}: {v}" for v in violations_by_day_and_night(page)]
    assert not found, "\n".join(found)


def use_fern(served: Served) -> None:
    """Note a ruler run, choose a trip and cut a stone: a rig in the middle of its work."""
    ranger = "/api/rigs/fern/sensors/front-ranger"
    rows = [{"true_mm": mm, "reading": us} for mm, us in ((150, 885), (400, 2330), (900, 5220))]
    for address, body in {
        f"{ranger}/procedures/ruler/notebook": {"rows": rows},
        f"{ranger}/decisions/obstacle": {"values": {"trip": 300, "clear": 350}},
        "/api/rigs/fern/stones": {"why": ""},
    }.items():
        served.client.post(address, json=body).raise_for_status()


def test_axe_finds_nothing_on_any_station_by_day_and_night(page: Page, served: Served) -> None:
    use_fern(served)
    served.client.post("/api/rigs/fern/connect", json={"kind": "stand-in"}).raise_for_status()
    nothing_is_found(page, *(f"/fern/{station}" for station in STATIONS))


BENCHES = (
    "part=line-sensors",
    "part=digital-line-sensor",
    "bench=timer",
    "bench=opinion&say=[[1,412,3],[2,826,6]]",
    "bench=resistors",
    "bench=tilt",
    "bench=file",
)
VIEWS = ("parts", "parts&fit=line-sensors", "plan", "board", "schedule", "checklist", "program")
DECISIONS = ("line-row", "line-row&decision=steering", "front-ranger&decision=filter")


def test_axe_finds_nothing_on_any_bench(bench: Page) -> None:
    nothing_is_found(bench, *(f"/convert?{part}" for part in BENCHES))


def test_axe_finds_nothing_on_any_view_or_decision(page: Page, served: Served) -> None:
    use_fern(served)
    views = (f"/fern/wire?view={view}" for view in VIEWS)
    decisions = (f"/fern/decide?sensor={decision}" for decision in DECISIONS)
    nothing_is_found(page, "/rigs", *views, *decisions)


def test_axe_finds_nothing_on_a_fault_and_in_a_dialog(page: Page, served: Served) -> None:
    use_fern(served)
    rig = served.client.get("/api/rigs/fern").json()
    served.client.post(
        "/api/rigs/fern/board", json={"board": "wide-3v3", "revision": rig["revision"]}
    ).raise_for_status()
    page.goto("/fern/wire")
    page.locator(".HarnessDrawing-fault-tag").wait_for()
    found = violations_by_day_and_night(page)
    page.keyboard.press("/")
    page.get_by_role("dialog").wait_for()
    settled(page)
    found += violations_by_day_and_night(page)
    assert not found, "\n".join(found)


def test_unplugging_is_said_and_it_goes_on_by_itself(page: Page, served: Served) -> None:
    page.goto("/fern/watch")
    page.get_by_role("button", name="Connect the stand-in C").click()
    expect(page.locator(".source-live")).to_be_visible()
    page.keyboard.press("r")
    expect(page.locator(".TopLine-recorded b")).to_have_text(re.compile(r"^[1-9]"))
    served.hands({"board.fault.unplug": 1})
    expect(page.locator("h1")).to_have_text("The board was unplugged: waiting for it")
    expect(page.locator(".empty")).to_contain_text("goes on by itself")
    served.hands({"board.fault.unplug": 0})
    expect(page.locator("h1")).to_have_text(re.compile("Box or wall ahead"))
    expect(page.locator(".TopLine-recorded b")).to_have_text(
        re.compile(r"^[1-9]")
    )  # a short gap: the same recording
    served.hands({"board.fault.unplug": 1})
    expect(page.locator(".recordings")).to_contain_text("cut short")
    served.hands({"board.fault.unplug": 0})
    expect(page.locator("h1")).to_have_text(re.compile("Box or wall ahead"))


def test_an_app_that_goes_away_is_said_and_the_page_goes_on_by_itself(page: Page, served: Served) -> None:
    page.goto("/fern/wire")
    expect(page.locator(".HarnessDrawing-harness")).to_be_visible()
    port = served.address.rsplit(":", 1)[1]
    served.kill()
    expect(page.locator(".Away-away")).to_contain_text("does not answer")
    served.start(int(port))
    expect(page.locator(".Away-away")).to_have_count(0)
    page.keyboard.press("7")
    expect(page.locator(".Log-timeline ol li").first).to_be_visible()


def test_a_station_whose_code_does_not_come_at_once_opens_when_it_does(page: Page) -> None:
    coming = re.compile(r"/assets/Log-.*\.js$")
    page.route(coming, lambda route: route.abort())
    page.goto("/fern/wire")
    settled(page)
    with page.expect_request(coming):
        page.keyboard.press("7")
    page.unroute_all()
    expect(page.locator(".Log-timeline ol li").first).to_be_visible()


def test_dialogs_whose_code_does_not_come_at_once_open_when_it_does(page: Page) -> None:
    coming = re.compile(r"/assets/Dialogs-.*\.js$")
    page.route(coming, lambda route: route.abort())
    with page.expect_request(coming):
        page.goto("/fern/wire")
    expect(page.locator(".HarnessDrawing-harness")).to_be_visible()
    page.unroute_all()
    page.keyboard.press("/")
    expect(page.get_by_role("dialog")).to_be_visible()


def test_a_database_that_goes_away_is_said_and_the_page_recovers_by_itself(
    chromium, served_on_own_cluster
) -> None:
    served, cluster = served_on_own_cluster
    page = chromium.new_page(base_url=served.address)
    page.goto("/fern/watch")
    page.get_by_role("button", name="Connect the stand-in C").click()
    expect(page.locator(".source-live")).to_be_visible()
    port = cluster.port
    cluster.stop()
    expect(page.locator(".Away-away")).to_contain_text("The database is away")
    expect(page.locator("h1")).to_have_text(re.compile("Box or wall ahead"))
    page.keyboard.press("r")
    expect(page.locator(".frame-notice.frame-fault")).to_contain_text("cannot be reached")
    cluster.start(port)
    expect(page.locator(".Away-away")).to_have_count(0)
    page.keyboard.press("r")
    expect(page.locator(".TopLine-recorded b")).to_have_text(re.compile(r"^[1-9]"))
    page.close()


def test_letter_keys_can_be_turned_off_and_never_act_while_typing(page: Page) -> None:
    page.goto("/fern/log")
    page.get_by_label("Note", exact=True).press_sequentially("r 2 m c")
    expect(page).to_have_url(re.compile("/fern/log"))
    expect(page.locator(".source-idle")).to_be_visible()
    page.get_by_role("button", name="Settings").click()
    page.get_by_label(re.compile("Letter keys")).uncheck()
    page.keyboard.press("Escape")
    page.locator("h1").click()
    page.keyboard.press("c")
    page.keyboard.press("2")
    expect(page.locator("h1")).to_have_text("Nothing is connected yet")


def test_units_and_theme_are_remembered(page: Page) -> None:
    page.goto("/fern/wire")
    page.get_by_role("button", name="Settings").click()
    page.get_by_label("cm", exact=True).check()
    page.get_by_label("Night bench").check()
    page.reload()
    expect(page.locator("html")).to_have_attribute("data-bs-theme", "dark")
    expect(page.locator("#constant-height")).to_contain_text("11.80")
    expect(page.locator("#constant-height")).to_contain_text("cm")


def test_addresses_can_be_shared_and_back_works(page: Page) -> None:
    page.goto("/fern/watch?recording=1&t0=10&t1=20&t=15")
    expect(page.locator("h1")).to_have_text("First look at the bench")
    expect(page.locator(".ReadOuts-read-outs")).to_contain_text("at 15.000")
    page.get_by_role("button", name="Show all of it").click()
    expect(page).not_to_have_url(re.compile("t0="))
    page.keyboard.press("1")
    expect(page.locator(".HarnessDrawing-harness")).to_be_visible()
    page.go_back()
    expect(page.locator("h1")).to_have_text("First look at the bench")
    page.goto("/fern/watch?recording=999")
    expect(page.locator("h1")).to_have_text("There is no such recording")
    page.goto("/nobody/wire")
    expect(page.locator("h1")).to_contain_text("no rig")


def test_a_wire_is_moved_by_menu_and_a_doubled_pin_is_found(page: Page) -> None:
    page.goto("/fern/wire?view=schedule")
    page.get_by_label("front ranger trigger goes to").select_option("capture")
    expect(page.locator("h1")).to_have_text("One wire would not work")
    page.get_by_role("button", name="harness", exact=True).click()
    expect(page.locator(".HarnessDrawing-fault-tag")).to_contain_text("two on capture")
    page.locator(".HarnessDrawing-fault-tag button").click()
    expect(page.locator("h1")).to_have_text("Nothing burns, and every wire can be read")


@pytest.mark.parametrize("width", [768, 390])
def test_narrow_screens_scroll_down_and_never_sideways(page: Page, width: int) -> None:
    page.set_viewport_size({"width": width, "height": 800})
    inside = (
        "wire?view=parts",
        "wire?view=schedule",
        "calibrate?sensor=line-row&procedure=line",
        "watch?recording=1",
        "decide?sensor=line-row",
        "decide?sensor=line-row&decision=steering",
        "convert?bench=opinion",
    )
    for station in (*STATIONS, *inside):
        page.goto(f"/fern/{station}")
        settled(page)
        wide = page.evaluate("document.documentElement.scrollWidth")
        assert wide <= width, f"{station} is {wide} px wide"


def test_watch_works_on_a_phone(page: Page, served: Served) -> None:
    served.client.post("/api/rigs/fern/connect", json={"kind": "stand-in"}).raise_for_status()
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/fern/watch")
    expect(page.locator(".Row-watch-row").first.locator("b").nth(1)).to_have_text(re.compile(r"8\d\d"))
    page.get_by_role("button", name=re.compile("Record")).click()
    expect(page.get_by_role("button", name=re.compile("Stop"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Mark")).click()
    expect_notice(page, "Marked")
    page.get_by_role("button", name=re.compile("Stop")).click()
    expect(page.get_by_role("button", name=re.compile("Record"))).to_be_visible()


def test_the_drawer_moves_the_target_and_is_marked_as_the_stand_in(page: Page) -> None:
    page.goto("/fern/watch")
    expect(page.locator("h1")).to_have_text("Nothing is connected yet")
    page.keyboard.press("c")
    expect(page.locator(".source-live")).to_be_visible()
    page.locator(".source").click()
    page.get_by_role("button", name="Move the stand-in’s hands …").click()
    page.get_by_label("Set to").fill("420")
    expect(page.locator(".Row-watch-row").first).to_contain_text(re.compile(r"42\d"))
    page.get_by_label(re.compile("Zeros")).click()
    expect(page.get_by_label(re.compile("Zeros"))).to_be_checked()
    expect(page.locator(".Watch-health")).to_contain_text(re.compile(r"[1-9]\d* dropouts"))


def test_what_is_done_while_the_screen_looks_again_stands(page: Page) -> None:
    page.goto("/fern/watch")
    expect(heading(page)).to_have_text("Nothing is connected yet")
    settled(page)
    with answers_held(page, "**/api/**"):
        page.keyboard.press("c")
        expect(page.locator(".source-live")).to_be_visible()
        page.keyboard.press("r")
        expect(page.locator(".TopLine-recorded b")).to_have_text(re.compile(r"^[1-9]"))
        page.keyboard.press("m")
        expect_notice(page, "Marked.")
    page.wait_for_function("() => window.notices.at(-1).until")
    marked = page.evaluate("window.notices.find((notice) => notice.text.startsWith('Marked'))")
    assert marked["until"] - marked["from"] > 3_900  # it stood its whole time


def test_what_is_picked_while_a_choice_is_kept_stays_picked(page: Page) -> None:
    page.goto("/fern/decide?sensor=front-ranger&decision=filter")
    for picked in (9, 5):  # both are worked out: what comes late is only what is looked at again
        page.get_by_role("button", name=f"Pick average of {picked}").press("Enter")
        expect(heading(page)).to_contain_text(f"Average of {picked} leaves")
    with answers_held(page, "**/constants*"):
        page.get_by_role("button", name="Choose filter").click()
        expect_notice(page, "Chosen.")
        page.get_by_role("button", name="Pick average of 9").press("Enter")
        expect(heading(page)).to_contain_text("Average of 9 leaves")
    expect(heading(page)).to_contain_text("Average of 9 leaves")
    expect(page.get_by_role("button", name="Choose filter")).to_be_visible()
