"""Procedures walked on the screen, one of each form: places, spans, poses, runs that are typed, orders, lines
of a notebook.

Every procedure that watches readings is held in tests/actions/test_holding.py too, with time moved by hand.
"""

from __future__ import annotations

import json
import re
import socket
import subprocess
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import until
from tests.served import Served


class Bench:
    """A rig at Calibrate, with a hand on its stand-in and the truth about it."""

    def __init__(self, page: Page, served: Served, slug: str) -> None:
        self.page, self.served, self.slug = page, served, slug

    def open(self, sensor: str, procedure: str) -> None:
        """Open a procedure, connected."""
        self.page.goto(f"/{self.slug}/calibrate?sensor={sensor}&procedure={procedure}")
        expect(self.page.locator(".Steps-places").or_(self.page.locator(".empty"))).to_be_visible()
        self.sensor, self.procedure = sensor, procedure
        connect = self.page.locator(".frame-tape").get_by_role("button", name="Connect")
        if connect.count():
            connect.click()
        expect(self.page.get_by_role("button", name=re.compile("stand-in · [1-9]"))).to_be_visible()

    def hands(self, hands: Mapping[str, float]) -> None:
        """Move hands at its stand-in."""
        self.served.hands(dict(hands), self.slug)

    def control(self) -> dict[str, Any]:
        """What is really so, from the stand-in's own control socket."""
        listed = subprocess.run(
            ["pgrep", "-P", str(self.served.process.pid), "-a"], capture_output=True, text=True
        ).stdout
        for folder in re.findall(r"tickstone\.standin\.process (\S+)", listed):
            with socket.socket(socket.AF_UNIX) as line:
                line.connect(str(Path(folder) / "control"))
                with line.makefile("rwb") as talk:
                    talk.write(b'{"truth": true}\n')
                    talk.flush()
                    answer: dict[str, Any] = json.loads(talk.readline())
            if self.sensor in answer["made"]:
                return answer
        raise AssertionError("no stand-in of this rig runs")

    def made(self) -> dict[str, float]:
        """The constants as the part on the bench really has them."""
        made: dict[str, float] = self.control()["made"][self.sensor]
        return made

    def now(self) -> dict[str, Any]:
        """The procedure as the server has it."""
        answer = self.served.client.get(
            f"/api/rigs/{self.slug}/sensors/{self.sensor}/procedures/{self.procedure}"
        )
        answer.raise_for_status()
        found: dict[str, Any] = answer.json()
        return found

    def held(self, count: int, seconds: float = 90.0) -> None:
        """Wait until so many steps are held."""
        try:
            until(lambda: len(self.now()["steps"]) >= count, seconds)
        except AssertionError:
            raise AssertionError(
                f"not {count} held: {self.page.locator('.holding').all_inner_texts()}"
            ) from None
        expect(self.page.locator(".Steps-places .Steps-held")).to_have_count(len(self.now()["steps"]))

    def fill(self, fields: Mapping[str, str]) -> None:
        """Type what is asked for next."""
        form = self.page.locator(".Steps-places .Steps-now form").first
        for label, value in fields.items():
            field = form.get_by_label(re.compile(f"^{re.escape(label)}"))
            if field.evaluate("one => one.tagName") == "SELECT":
                field.select_option(label=value)
            else:
                field.fill(value)

    def hold(self, fields: Mapping[str, str] | None = None) -> None:
        """Press what holds the next one."""
        self.fill(fields or {})
        self.page.locator(".Steps-places .Steps-now form").first.get_by_role(
            "button", name=re.compile("^Hold ")
        ).click()

    def note(self, fields: Mapping[str, str]) -> None:
        """Note the next one that is only typed."""
        count = len(self.now()["steps"])
        self.fill(fields)
        self.page.locator(".Steps-places .Steps-now form").first.get_by_role(
            "button", name=re.compile("^Keep ")
        ).click()
        self.held(count + 1)
        expect(self.page.locator(".Steps-places .Steps-held")).to_have_count(count + 1)

    def lines(self, text: str) -> None:
        """Type lines from a notebook."""
        before = len(self.now()["steps"])
        self.page.get_by_role("button", name="Type from a notebook").click()
        self.page.get_by_label(re.compile("One line each")).fill(text)
        self.page.get_by_role("button", name="Keep these readings").click()
        self.held(before + text.count("\n") + 1)

    def accept(self, extras: bool = False) -> dict[str, tuple[float, float | None]]:
        """Accept on the screen; returns what is measured now, with its ± (before ``extras`` take some
        places)."""
        found = self.now()
        assert found["can_accept"], found["why_not"]
        with self.page.expect_response(re.compile("/accept$"), timeout=60_000) as answer:
            self.page.get_by_role("button", name=re.compile(r"^Accept \d+ step")).click()
        assert answer.value.ok, answer.value.text()
        expect(self.page.get_by_text("Accepted:")).to_be_visible()
        fitted = {one["name"]: (one["value"], one["plus_minus"]) for one in found["constants"]}
        listed = self.served.client.get(f"/api/rigs/{self.slug}/sensors/{self.sensor}/constants").json()
        measured = {one["name"]: one for one in listed}
        for name, (value, _) in fitted.items():
            assert measured[name]["provenance"] == "measured", name
            near_by = 0.3 if name == "air" else 0.0  # which is shown as it is just now
            assert measured[name]["value"] == pytest.approx(value, rel=0.02 if extras else 2e-3, abs=near_by)
        return fitted


def near(
    fitted: Mapping[str, tuple[float, float | None]], name: str, truth: float, least: float = 0.0
) -> None:
    """A fitted constant is right within twice what it states (1 in 15 000 is not), or within ``least``."""
    value, plus_minus = fitted[name]
    assert abs(value - truth) <= max(2 * (plus_minus or 0.0), least), (name, value, plus_minus, truth)


@pytest.fixture
def fern(page: Page, served: Served) -> Bench:
    return Bench(page, served, "fern")


def rig_from(served: Served, template: str, title: str) -> str:
    """A rig from a template; returns its slug."""
    titled = f"{title} {template}"
    served.client.post(
        "/api/rigs", json={"title": titled, "purpose": "", "template": template}
    ).raise_for_status()
    return titled.lower().replace(" ", "-")


def test_ranger_by_ruler_and_by_air_compared(fern: Bench, page: Page) -> None:
    fern.open("front-ranger", "ruler")
    expect(page.locator(".next")).to_contain_text("put the target near 150")
    fern.lines("150 889\n250 1469\n400 2341\n600 3501\n900 5243")  # 344.5 m/s and −3.1 mm
    expect(page.locator("h1")).to_have_text(re.compile(r"^Every place held; sound is 34"))
    expect(page.locator(".frame-slab #constant-sound")).to_contain_text("forming: 5 held")
    plots = page.locator(".FitPlot-fit-figure")
    expect(plots.first).to_be_visible()
    plots.first.locator(".held-dot").nth(2).hover()
    expect(plots.first.locator(".FitPlot-fit-said")).not_to_be_empty()  # the read-out at the pointer
    page.get_by_label("Before and after, on").select_option(index=1)
    expect(page.locator(".BeforeAfter-before-after")).to_contain_text("Readings move by")
    fitted = fern.accept()
    assert fitted["sound"][0] == pytest.approx(344.5, abs=0.3)
    assert fitted["offset"][0] == pytest.approx(-3.1, abs=0.5)
    fern.open("front-ranger", "air")
    fern.hold({"Readings to average": "12"})
    fern.held(1)
    expect(page.locator("h1")).to_contain_text("The air is")
    expect(page.locator(".Calibrate-outcome")).to_contain_text("The ruler says")
    near(fern.accept(), "air", 23.5, 1.5)


def test_places_are_refused_dropped_and_kept_over_a_reload(fern: Bench, page: Page) -> None:
    fern.open("front-ranger", "ruler")
    fern.fill({"The ruler says": "five"})
    page.locator(".Steps-places .Steps-now form").get_by_role("button", name=re.compile("^Hold ")).click()
    expect(page.locator(".Steps-places .field-fault")).to_contain_text("is not a number")
    fern.fill({"The ruler says": "9000"})
    page.locator(".Steps-places .Steps-now form").get_by_role("button", name=re.compile("^Hold ")).click()
    expect(page.locator(".Steps-places .field-fault")).to_contain_text("6000")
    fern.hands({"front-ranger.target_mm": 250})
    fern.hold({"The ruler says": "150"})
    expect(page.locator(".Steps-holding-why")).to_contain_text("not 150")
    page.get_by_role("button", name="Stop holding").click()
    fern.hold({"The ruler says": "250"})
    fern.held(1)
    page.reload()
    expect(page.locator(".Steps-places .Steps-held")).to_have_count(1)
    fern.hands({"front-ranger.moves_mm_s": 200})
    fern.hold({"The ruler says": "400"})
    expect(page.locator(".Steps-holding-why")).to_contain_text(re.compile("Hold still|It says about"))
    page.keyboard.press("h")
    fern.held(2)
    fern.hands({"front-ranger.moves_mm_s": 0})
    page.get_by_role("button", name="Drop 400").click()
    expect(page.locator(".Steps-places .Steps-held")).to_have_count(1)
    expect(page.get_by_role("button", name=re.compile(r"^Accept \d+ step"))).to_have_count(0)


def test_line_row_spans_heights_and_lamps(fern: Bench, page: Page) -> None:
    fern.open("line-row", "line")
    fern.hands({"line-row.ground": 1, "line-row.height_mm": 4, "room.lamp": 0})
    fern.hold()
    fern.held(1)
    expect(page.locator(".Steps-holding-why")).to_contain_text(re.compile("Taken|It reads as over ground"))
    fern.hands({"line-row.ground": 2})
    fern.held(2)
    expect(page.locator("h1")).to_contain_text("every sensor tells it from the line")
    truth, fitted = fern.made(), {one["name"]: one["value"] for one in fern.now()["constants"]}
    levels = {name: level for name, level in truth.items() if name in fitted}
    assert len(levels) == 10
    for name, level in levels.items():
        assert fitted[name] == pytest.approx(level, abs=4.0), name
    for height in ("12",):
        for span, ground in (("over ground", 1), ("over the line", 2)):
            fern.hands({"line-row.ground": ground, "line-row.height_mm": float(height)})
            form = page.locator(".Steps-places .Steps-now form").filter(has_text=span)
            form.get_by_label(re.compile("^Height")).fill(height)
            count = len(fern.now()["steps"])
            form.get_by_role("button", name=re.compile("^Hold ")).click()
            fern.held(count + 1)
    expect(page.locator(".Calibrate-outcome")).to_contain_text("Ground and line, 12 mm")
    fern.accept()


POSES = ((0, 0), (180, 0), (90, 0), (-90, 0), (0, 90), (0, -90))


def test_six_poses_hands_free(fern: Bench, page: Page) -> None:
    fern.open("tilt", "poses")
    expect(page.locator(".next").get_by_role("button", name=re.compile("^Hold "))).to_be_visible()
    page.keyboard.press("h")
    for count, (nose, left) in enumerate(POSES, 1):
        fern.hands({"tilt.nose_up_deg": nose, "tilt.left_up_deg": left})
        fern.held(count)
    fern.hands({"tilt.nose_up_deg": 0, "tilt.left_up_deg": 0})
    expect(page.locator("h1")).to_contain_text("Six poses held")
    truth, fitted = fern.made(), fern.accept()
    for axis in "xyz":
        near(fitted, f"offset_{axis}", truth[f"offset_{axis}"], 0.004)
        near(fitted, f"scale_{axis}", truth[f"scale_{axis}"], 0.004)


def test_wheel_roll_out_and_the_drive(fern: Bench, page: Page) -> None:
    fern.open("wheel", "roll-out")
    way = fern.made()["circumference"]
    typed = (
        f"{10 * way + 1:.1f}",
        f"{(10 * way - 2) / 1000:.4f} m",
        f"{(10 * way + 0.5) / 10:.2f} cm".replace(".", ","),
    )
    fern.hands({"wheel.speed_m_s": 1.5})
    page.get_by_role("button", name="Count from here").click()
    expect(page.get_by_label("Whole turns")).to_have_value(re.compile(r"^([3-9]|\d\d+)$"))
    fern.hands({"wheel.speed_m_s": 0})
    for said in typed:
        fern.note({"Whole turns": "10", "Distance along the tape": said})
    expect(page.locator("h1")).to_contain_text("One turn is")
    expect(page.locator(".Steps-held").first).to_contain_text("whole turns 10 · distance along the tape")
    near(fern.accept(), "circumference", way, 1.0)

    fern.open("wheel", "dead-band")
    fern.lines("18 22\n19 23\n18 22")
    assert fern.accept()["dead_band_left"][0] == pytest.approx(18.3, abs=0.1)

    fern.open("wheel", "straight-run")
    for left in (120, 125):
        fern.note({"Run along the tape": "3000", "It ended left of the tape by (right: minus)": str(left)})
    expect(page.locator("h1")).to_contain_text("The right side goes")
    fern.accept()

    fern.open("wheel", "squares")
    fern.lines(
        "right 2000 -100 -98\nleft 2000 -60 64\nright 2000 -97 -101\nleft 2000 -63 60\nright 2000 -99 "
        "-95\nleft 2000 -58 61"
    )
    expect(page.locator("h1")).to_contain_text("The track is")
    fern.accept()
    expect(page.locator(".picker-procedures")).to_contain_text("today")


def test_motor_halls_spin_wire_orders_and_spacings(page: Page, served: Served) -> None:
    motor = Bench(page, served, rig_from(served, "T05", "Heron"))
    motor.open("motor", "hall-spin")
    expect(page.locator(".caution").first).to_contain_text("Current-limited supply")
    motor.hands({"motor.rpm": 200})
    motor.hold()
    motor.held(1)
    expect(page.locator("h1")).to_contain_text("120° scheme, forward: 101 100 110 010 011 001")
    truth, fitted = motor.made(), motor.accept()
    for n in (1, 2, 3):
        near(fitted, f"place_h{n}", truth[f"place_h{n}"], 0.5)

    motor.open("motor", "wire-order")
    motor.note({"What it does": "shudders, draws high current", "Current": "1.4"})
    motor.note({"What it does": "runs backward, smoothly"})
    expect(page.locator("h1")).to_contain_text("one runs backward")
    motor.note({"What it does": "runs forward, smoothly", "Current": "0.3"})
    expect(page.locator("h1")).to_contain_text("run forward; ACB runs backward")
    assert motor.accept()["phase_order"][0] == 3

    motor.open("motor", "hall-spacing")
    motor.note({"The sensors’ radius": "15", "A spacing you have in mind": "60"})
    expect(page.locator("h1")).to_have_text("60° works in the 60° scheme")
    expect(page.locator(".SaidTable-said-table")).to_contain_text("17.14°")


def test_analogue_poses_from_a_notebook(page: Page, served: Served) -> None:
    tilt = Bench(page, served, rig_from(served, "T14", "Plume"))
    tilt.open("tilt", "poses")
    made = tilt.made()
    lines = []
    for pose in ("+z", "-z", "+x", "-x", "+y", "-y"):
        counts = [
            (made[f"zero_{axis}"] + made[f"per_g_{axis}"] * (axis == pose[1]) * (1 if pose[0] == "+" else -1))
            / 3.3
            * 4096
            for axis in "xyz"
        ]
        lines.append(f"{pose} " + " ".join(f"{one:.0f}" for one in counts))
    tilt.lines("\n".join(lines))
    page.get_by_label("with cross-axis terms").click()
    truth, fitted = tilt.made(), tilt.accept(extras=True)
    for axis in "xyz":
        near(fitted, f"zero_{axis}", truth[f"zero_{axis}"], 0.004)
        near(fitted, f"per_g_{axis}", truth[f"per_g_{axis}"], 0.004)


def test_a_notebook_and_the_marks_of_a_recording(fern: Bench, page: Page) -> None:
    fern.open("front-ranger", "ruler")
    page.get_by_role("button", name="Type from a notebook").click()
    page.get_by_label(re.compile("One line each")).fill("150 888\n400 what")
    page.get_by_role("button", name="Keep these readings").click()
    expect(page.locator("#notebook-fault")).to_contain_text("Line 2")
    page.get_by_label(re.compile("One line each")).fill("150 888\n400 2330\n900 5230")
    page.get_by_role("button", name="Keep these readings").click()
    expect(page.locator(".Steps-places .Steps-held")).to_have_count(3)
    page.get_by_role("button", name=re.compile("^Archive ")).click()
    expect(page.locator(".Steps-places .Steps-held")).to_have_count(0)
    page.get_by_label("From the marks of a recording").select_option(label="Notebook, 3 lines, 3 marks")
    expect(page.get_by_text("3 taken from its marks")).to_be_visible()
    expect(page.locator(".Steps-places .Steps-held")).to_have_count(3)
    fern.accept()
    fern.lines("150 886\n400 2332\n900 5228")
    fern.accept()
    expect(page.get_by_role("region", name="From one calibration to the next")).to_contain_text("sound")
