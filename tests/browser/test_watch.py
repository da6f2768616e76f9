"""Watch as a person uses it: every sensor at once, instruments, lines of a stranger's program, marks, faults,
replay."""

from __future__ import annotations

import re
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Page, expect

from tests.browser.steps import connect, expect_notice, record_on, stop_and_open
from tests.conftest import until
from tests.served import Served

RIG = "/api/rigs/fern"


def row(page: Page, name: str):
    return page.locator(".Row-watch-row", has=page.get_by_text(name, exact=True))


@contextmanager
def printing(*lines: str) -> Iterator[str]:
    """A board of one's own on the network, printing these lines again and again: its address."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        stop = threading.Event()

        def serve() -> None:
            line, _ = server.accept()
            with line:
                while not stop.is_set():
                    try:
                        line.sendall(("\r\n".join(lines) + "\r\n").encode())
                    except OSError:
                        return
                    time.sleep(0.05)

        thread = threading.Thread(target=serve, daemon=True)
        thread.start()
        yield f"127.0.0.1:{server.getsockname()[1]}"
        stop.set()


def test_every_sensor_speaks_raw_in_its_unit_and_in_words(page: Page, served: Served) -> None:
    served.hands({"line-row.line_mm": 24, "tilt.nose_up_deg": 5, "wheel.speed_m_s": 0.5})
    connect(page)
    expect(row(page, "front ranger")).to_contain_text("standing still")
    expect(row(page, "line row")).to_contain_text(re.compile(r"\d+ \d+ \d+ \d+ \d+"))
    expect(row(page, "line row")).to_contain_text("to the right of the middle")
    expect(row(page, "line row").get_by_role("img").first).to_have_accessible_name(
        re.compile("off, off, off, off, on")
    )
    expect(row(page, "tilt")).to_contain_text(re.compile(r"Nose up [3-7]"))
    expect(row(page, "tilt")).to_contain_text(re.compile(r"grade: \d+\D%\D up|grade: \d+.% up"))
    expect(row(page, "battery gauge")).to_contain_text("7.")
    expect(row(page, "wheel")).to_contain_text("since reset")
    row(page, "wheel").click()
    expect(page.locator("h1")).to_contain_text("Rolling")
    trip = page.locator(".Instruments-instrument", has_text="Trip")
    expect(trip).to_contain_text("average, moving")
    trip.get_by_role("button", name="Reset").click()
    expect(trip.locator(".Instruments-meter").nth(1)).to_contain_text(re.compile(r"^0\.\d\d m"))
    served.hands({"wheel.speed_m_s": 0, "wheel.gain_m_s2": 10})
    expect(page.locator("h1")).to_contain_text("Standing: no pulse")
    expect(row(page, "wheel").locator(".Row-watch-value b")).to_have_text("0.00")


def test_an_angle_between_two_lines_is_read_with_its_growing_uncertainty(page: Page, served: Served) -> None:
    connect(page)
    row(page, "tilt").click()
    angle = page.locator(".Instruments-instrument", has_text="Angle between two lines")
    expect(angle).to_contain_text("not begun")
    zero = angle.get_by_role("button", name="Zero here")
    until(lambda: (zero.click(), "Bias taken at rest" in angle.inner_text())[1])
    served.hands({"tilt.turns_deg_s": 30})
    turned = angle.locator(".Instruments-meter b")
    until(lambda: float(turned.inner_text().replace("−", "-")) > 35)
    served.hands({"tilt.turns_deg_s": 0})
    expect(turned).to_have_text(re.compile(r"^([3-9]|1\d)\d\.\d$"))
    expect(angle.locator(".Instruments-meter")).to_contain_text("±")


def test_one_figure_fills_the_window_and_escape_puts_it_away(page: Page) -> None:
    connect(page)
    expect(page.locator("h1")).to_contain_text("standing still")
    page.keyboard.press("b")
    large = page.get_by_role("dialog", name="front ranger, large")
    expect(large.locator(".Large-large-figure")).to_contain_text(re.compile("8[45]"))
    assert (
        large.locator(".Large-large-figure").evaluate("e => parseFloat(getComputedStyle(e).fontSize)") > 200
    )
    large.get_by_role("button", name="Next sensor").click()
    expect(page.get_by_role("dialog", name="air, large")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page).to_have_url(re.compile(r"/fern/watch\?sensor=air$"))


def test_a_strangers_lines_are_guessed_shown_and_mended_and_remembered(page: Page, served: Served) -> None:
    with printing("Board ready", "Distance: 40.0 cm", "lift: 512, moon: 3") as address:
        host, port = address.split(":")
        served.client.post(
            f"{RIG}/connect", json={"kind": "tcp", "host": host, "port": int(port)}
        ).raise_for_status()
        page.goto("/fern/watch")
        expect(row(page, "front ranger").locator(".Row-watch-value")).to_contain_text(
            re.compile("39[89]|40[0-4]")
        )
        page.get_by_role("button", name="Lines and labels").click()
        expect(page.locator("h1")).to_have_text("2 of 3 labels mean nothing yet")
        expect(page.get_by_label("What Distance means")).to_have_value("front-ranger|echo")
        expect(page.get_by_label("Distance times")).to_have_value("58")
        expect(page.locator(".watch-heard")).to_contain_text("words, no reading")
        page.get_by_label("What lift means").select_option("battery-gauge|counts")
        page.get_by_label("What moon means").select_option("ignored")
        expect(page.locator("h1")).to_have_text("All 3 labels are understood")
        page.get_by_label("Distance times").fill("x")
        expect(page.get_by_role("alert")).to_contain_text("A number")
        page.get_by_label("Distance times").fill("29")
        page.get_by_label("Distance times").press("Enter")
        page.get_by_role("button", name="Back to the readings").click()
        expect(row(page, "front ranger").locator(".Row-watch-value")).to_contain_text(
            re.compile("199|20[0-2]")
        )
        expect(row(page, "battery gauge").locator(".Row-watch-value")).to_contain_text("8.00")
        served.client.post(f"{RIG}/disconnect").raise_for_status()
    with printing("lift: 512") as again:
        host, port = again.split(":")
        served.client.post(
            f"{RIG}/connect", json={"kind": "tcp", "host": host, "port": int(port)}
        ).raise_for_status()
        expect(row(page, "battery gauge").locator(".Row-watch-value")).to_contain_text("8.00")


def tap(page: Page, key: str) -> None:
    """Press and let go in the page's own time: the two are never apart for as long as a hold."""
    page.evaluate(
        """key => ["keydown", "keyup"].forEach(kind =>
               document.body.dispatchEvent(new KeyboardEvent(kind, { key, bubbles: true })))""",
        key,
    )


def test_moments_spans_and_words_are_marked_and_changed_afterwards(page: Page) -> None:
    connect(page)
    page.keyboard.press("r")
    expect(page.locator(".TopLine-recorded b")).to_have_text(re.compile(r"^[1-9]"))
    tap(page, "m")
    expect_notice(page, "Marked.")
    page.keyboard.down("m")
    expect(page.get_by_role("button", name="Marking a span")).to_be_visible()
    record_on(page, 60)
    page.keyboard.up("m")
    expect_notice(page, "Marked a span of")
    page.get_by_role("button", name="Words for a mark").click()
    page.get_by_role("textbox", name="Words").fill("box at 85 cm")
    page.get_by_role("textbox", name="The last").fill("soon")
    page.get_by_role("button", name="Add mark").click()
    expect(page.locator(".field-fault")).to_contain_text("in seconds")
    page.get_by_role("textbox", name="The last").fill("0,5")
    page.get_by_role("textbox", name="Really was").fill("850")
    page.get_by_role("textbox", name="Lamp").fill("off")
    page.get_by_role("button", name="Add mark").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    stop_and_open(page)
    marks = page.locator(".OpenedRecording-recorded-lists section").first.locator("li")
    expect(marks).to_have_count(3)
    said = marks.filter(has_text="box at 85 cm")
    expect(said).to_contain_text(re.compile(r"for 0\.5\D*s, really 850\D*mm, lamp off"))
    said.get_by_role("button", name="Change").click()
    page.get_by_role("textbox", name="Height").fill("12")
    page.get_by_role("textbox", name="Really was").fill("852")
    page.get_by_role("button", name="Keep").click()
    expect(marks.filter(has_text="box at 85 cm")).to_contain_text(re.compile(r"really 852\D*mm.*height 12"))
    page.get_by_role("button", name="Add a mark").click()
    page.get_by_role("textbox", name="Words").fill("afterwards")
    page.get_by_role("textbox", name="From").fill("0.2")
    page.get_by_role("textbox", name="to", exact=True).fill("0.1")
    page.get_by_role("button", name="Add mark").click()
    expect_notice(page, "must end after it begins")
    page.get_by_role("textbox", name="to", exact=True).fill("0.4")
    page.get_by_role("button", name="Add mark").click()
    expect(marks).to_have_count(4)
    page.get_by_label("Speed of the replay").select_option("8")
    page.get_by_role("button", name="Replay it").click()
    # At eight times its speed the replay may be over between two looks: its end is what stays.
    expect(page.locator("h1")).to_contain_text("replayed to its end")
    expect(page.locator(".source")).to_have_attribute("title", re.compile("replay of"))


def test_the_hands_and_faults_are_moved_in_the_drawer(page: Page) -> None:
    connect(page)
    page.locator(".source").click()
    page.get_by_role("button", name="Move the stand-in").click()
    drawer = page.get_by_role("dialog", name="Stand-in")
    drawer.get_by_label("Set to").fill("400")
    expect(row(page, "front ranger").locator(".Row-watch-value")).to_contain_text(
        re.compile("40[0-6]|39[5-9]")
    )
    drawer.get_by_label("Zeros").click()
    expect(drawer.get_by_label("Zeros")).to_be_checked()
    expect(page.locator(".Watch-health")).to_contain_text(re.compile("[1-9]\\d* dropout"))
    drawer.get_by_label("Zeros").click()
    expect(drawer.get_by_label("Zeros")).not_to_be_checked()
    drawer.get_by_label("Sensor at the stand-in").select_option("line-row")
    drawer.get_by_label("Under it").select_option("all pale")
    expect(row(page, "line row")).to_contain_text("No line under the row")
    drawer.get_by_label("Wrong baud").click()
    expect(drawer.get_by_label("Wrong baud")).to_be_checked()
    expect(page.locator(".Watch-advice")).to_contain_text("the baud is most likely wrong")
    drawer.get_by_label("Wrong baud").click()
    expect(drawer.get_by_label("Wrong baud")).not_to_be_checked()
    expect(page.locator(".Watch-advice")).to_have_count(0)


def test_does_it_still_read_well_with_the_motors_running(page: Page, served: Served) -> None:
    connect(page)
    expect(page.locator("h1")).to_contain_text("standing still")
    page.get_by_role("button", name="Check with motors").click()
    page.get_by_role("button", name="It stands").click()
    expect(page.get_by_role("button", name="They run")).to_be_visible(timeout=20_000)
    served.hands({"room.motors": 1})
    page.get_by_role("button", name="They run").click()
    expect(page.locator("h1")).to_contain_text("read worse with the motors running", timeout=20_000)
    judged = page.get_by_role("region", name="What the check says")
    expect(judged).to_contain_text("100 nF across each motor")
    expect(judged).to_contain_text(re.compile(r"Tilt: noise .* times as much"))
