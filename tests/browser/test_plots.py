"""What drawings do under the pointer: they are read, dragged, zoomed and let go of."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, Page, Route, expect

from tests.browser.steps import settled
from tests.served import Served


def box_of(drawing: Locator) -> dict[str, float]:
    """Where a drawing lies once it stands still."""
    drawing.hover()
    box = drawing.bounding_box()
    assert box is not None
    return dict(box)


def shown_span(page: Page) -> tuple[float, float]:
    """The part of the recording that is shown, by the address."""
    ends = {name: float(value) for name, value in re.findall(r"[?&](t0|t1)=([\d.]+)", page.url)}
    return ends["t0"], ends["t1"]


def test_the_strip_of_the_whole_recording_moves_the_part_that_is_shown(bench: Page) -> None:
    bench.goto("/fern/watch?recording=1&t0=0&t1=2")
    strip = bench.get_by_role("img", name="The whole recording")
    expect(strip.locator("path")).to_be_attached()
    settled(bench)
    box = box_of(strip)
    bench.mouse.click(box["x"] + box["width"] / 2, box["y"] + 20)
    expect(bench).not_to_have_url(re.compile("t0=0&t1=2$"))
    begin, end = shown_span(bench)
    assert end - begin == 2
    bench.mouse.move(box["x"] + box["width"] / 2, box["y"] + 20)
    bench.mouse.down()
    bench.mouse.move(box["x"] + box["width"] - 4, box["y"] + 20, steps=5)
    bench.mouse.up()
    expect(strip.locator(".Lanes-lane-view")).not_to_have_attribute("x", "0")
    last = shown_span(bench)
    assert last[0] > begin
    assert last[1] - last[0] == 2  # the end of the recording stops it, it is not made shorter


def test_lanes_are_zoomed_about_the_cursor_by_key_and_to_a_span_by_two_clicks(bench: Page) -> None:
    bench.goto("/fern/watch?recording=1&t=4")
    lanes = bench.get_by_role("group", name=re.compile("lanes of First look"))
    expect(lanes.locator(".Lanes-lane-name").first).to_be_visible()
    lanes.focus()
    bench.keyboard.press("+")
    expect(bench).to_have_url(re.compile("t0="))
    near = shown_span(bench)
    assert near[0] < 4 < near[1]
    bench.keyboard.press("+")
    expect(bench).not_to_have_url(re.compile(rf"t0={near[0]:g}&"))
    nearer = shown_span(bench)
    assert near[0] < nearer[0] < 4 < nearer[1] < near[1]
    bench.keyboard.press("-")
    bench.keyboard.press("-")
    expect(bench).not_to_have_url(re.compile("t0="))  # the whole again
    for _ in range(5):  # sooner than anything can be drawn
        bench.keyboard.press("ArrowRight")
    step = 45 / 100
    expect(bench).to_have_url(re.compile(rf"[?&]t={4 + 5 * step:.1f}"))
    bench.goto("/fern/watch?recording=1&s0=2&s1=3")
    expect(bench.locator(".OpenedRecording-span-tools b")).to_contain_text("2.000")
    settled(bench)
    lanes.locator("svg").dblclick(position={"x": 5, "y": 60})  # beside the lanes: the span stays as it is
    expect(bench).to_have_url(re.compile(r"t0=2\.0+&t1=3\.0+"))


def test_each_point_of_a_plot_is_read_at_the_pointer_and_by_key(bench: Page) -> None:
    bench.goto("/fern/decide?sensor=front-ranger&decision=filter")
    plot = bench.locator("figure", has_text="Noise against lag")
    point = plot.get_by_role("button", name="Pick average of 5")
    point.focus()
    expect(plot.locator(".FitPlot-fit-said")).to_have_text(
        re.compile(r"^average of 5: \d+\.\d\d mm, 100 ms$")
    )
    point.blur()
    expect(plot.locator(".FitPlot-fit-said")).to_have_count(0)
    point.hover(force=True)
    expect(plot.locator(".FitPlot-fit-said")).to_contain_text("ms")
    point.press("Enter")
    expect(bench.locator("h1")).to_contain_text("Average of 5 leaves")
    expect(plot.locator(".FitPlot-picked-wedge")).to_have_count(1)


def test_the_timer_plan_is_read_at_the_pointer(bench: Page) -> None:
    bench.goto("/convert?bench=timer")
    chart = bench.locator(".PlanChart-plan svg")
    caption = bench.locator(".PlanChart-plan figcaption")
    expect(caption).to_contain_text("Point at the chart")
    box = box_of(chart)
    for part in (0.2, 0.8):
        bench.mouse.move(box["x"] + box["width"] * part, box["y"] + 100)
        expect(caption).to_contain_text(re.compile(r"^At .*rpm: .*÷.8.*count "))
    expect(chart.locator(".PlanChart-reading")).to_have_count(1)
    bench.mouse.move(box["x"] + 4, box["y"] + 100)  # in front of the axis
    expect(caption).to_contain_text("Point at the chart")


def test_the_trip_distance_is_dragged_on_the_floor_and_takes_the_clear_distance_along(bench: Page) -> None:
    bench.goto("/fern/decide?sensor=front-ranger")
    tick = bench.get_by_role("slider", name="Trip distance")
    before = int(tick.get_attribute("aria-valuenow") or 0)
    apart = clear_distance(bench) - before
    settled(bench)
    box = box_of(tick.locator("path"))
    bench.mouse.move(box["x"] + box["width"] / 2, box["y"] + 6)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 120, box["y"] + 6, steps=6)
    expect(tick).not_to_have_attribute("aria-valuenow", str(before))
    bench.mouse.up()
    dragged = int(tick.get_attribute("aria-valuenow") or 0)
    assert dragged > before + 20
    assert clear_distance(bench) - dragged == apart
    bench.mouse.move(box["x"] + 300, box["y"] + 6)  # let go of: it stays where it is
    expect(tick).to_have_attribute("aria-valuenow", str(dragged))
    expect(bench.locator(".Floor-sums")).to_contain_text("more than needed")


def clear_distance(page: Page) -> int:
    """What the floor calls clear."""
    text = page.locator(".Floor-floor .Floor-chosen-text", has_text="clear").text_content() or ""
    return int(re.sub(r"\D", "", text))


def test_a_wire_that_is_let_go_of_beside_the_board_stays_where_it_was(bench: Page) -> None:
    bench.goto("/heron/wire")
    end = bench.locator(".HarnessDrawing-wire-end").first
    settled(bench)
    name = end.get_attribute("aria-label") or ""
    box = box_of(end)
    bench.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 60, box["y"] + 4, steps=4)
    expect(bench.locator(".HarnessDrawing-harness.HarnessDrawing-moving")).to_have_count(1)
    bench.mouse.move(2, 2, steps=4)  # out of the drawing: it is held until it is let go of
    bench.mouse.up()
    expect(bench.locator(".HarnessDrawing-harness.HarnessDrawing-moving")).to_have_count(0)
    expect(end).to_have_attribute("aria-label", name)


def test_files_are_dropped_on_their_place_which_shows_that_it_takes_them(page: Page, served: Served) -> None:
    late: list[Route] = []  # the first answer comes only after the file is there, and tells of none

    def bench(route: Route) -> None:
        if route.request.method == "GET" and not late:
            late.append(route)
        else:
            route.continue_()

    page.route("**/api/rigs/fern/files", bench)
    page.goto("/fern/watch?view=import")
    place = page.locator(".DropFiles-drop")
    files = page.evaluate_handle(
        """() => { const data = new DataTransfer();
        data.items.add(new File(["echo_us\\n1748\\n1751\\n1749\\n"], "three.csv")); return data; }"""
    )
    place.dispatch_event("dragover", {"dataTransfer": files})
    expect(page.locator(".DropFiles-drop.DropFiles-over")).to_have_count(1)
    place.dispatch_event("dragleave", {"dataTransfer": files})
    expect(page.locator(".DropFiles-drop.DropFiles-over")).to_have_count(0)
    place.dispatch_event("drop", {"dataTransfer": files})
    expect(page).to_have_url(re.compile("file="))
    late[0].fulfill(json=[])
    expect(page.get_by_label("What echo_us means")).to_have_value("front-ranger|echo")
    page.get_by_label("Rows a second").fill("20")
    expect(page.locator("h1")).to_have_text("Every column of three is understood")
    page.get_by_role("button", name="Store file").click()
    expect(page.locator("h1")).to_have_text("three is taken in: 3 rows")
    page.get_by_role("button", name="Open the recording").click()
    page.get_by_role("group", name=re.compile("^One lane of three")).press("ArrowRight")
    expect(page.locator(".ReadOuts-read-outs .ReadOuts-at-cursor").first).to_contain_text("mm")
    taken = served.client.get("/api/rigs/fern/recordings").json()[0]
    assert (taken["name"], [stream["n"] for stream in taken["streams"]]) == ("three", [3])
