"""Convert in a real browser: every sensor kind, the special benches, files."""

from __future__ import annotations

import re
from pathlib import Path
from urllib.parse import parse_qsl, urlsplit

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.served import Served
from tickstone.core.rigs.kinds import KINDS


def heading(page: Page) -> Locator:
    return page.locator("h1")


@pytest.mark.parametrize(
    "kinds", [list(KINDS)[:6], list(KINDS)[6:12], list(KINDS)[12:]], ids=["first", "second", "third"]
)
def test_every_kind_is_worked_dragged_and_asked_backwards(bench: Page, kinds: list[str]) -> None:
    for kind in kinds:
        bench.goto("/convert")
        bench.get_by_label("A part without a rig").select_option(kind)
        expect(bench).to_have_url(re.compile(f"part={kind}"))
        expect(bench.locator(".WorkedLine-result b")).not_to_have_text("—")
        expect(bench.locator(".WorkedLine-term").first).to_be_visible()
        expect(heading(bench)).not_to_have_text(re.compile("Looking"))
        before = heading(bench).inner_text()
        place = 1 if kind == "line-sensors" else 0
        expect(
            bench.locator(".convert-graduated").or_(bench.locator(".convert-ask-choice")).first
        ).to_be_visible()
        slider = bench.locator(".convert-graduated").nth(place)
        if slider.count():
            for _ in range(3):
                slider.press("PageDown")
        else:  # a level is chosen
            bench.locator(".convert-ask-choice .act[aria-pressed=false]").first.click()
        expect(bench).to_have_url(re.compile(r"r\.\w+="))
        expect(heading(bench)).not_to_have_text(before)
        expect(bench.locator(".Backwards-inverse b").first).not_to_be_empty()
        bench.reload()  # the address holds what was set
        expect(heading(bench)).not_to_have_text(re.compile("Looking"))
        assert heading(bench).inner_text() != before
        if slider.count():
            (set_to,) = (
                value for name, value in parse_qsl(urlsplit(bench.url).query) if name.startswith("r.")
            )
            expect(bench.locator(".convert-ask input[inputmode]").nth(place)).to_have_value(set_to)


def test_a_loose_parts_constants_are_typed_and_shown_as_such(bench: Page) -> None:
    bench.goto("/convert?part=hall-switch&r.period=300000")
    expect(heading(bench)).to_have_text(re.compile(r"300\D000\Dµs is 4\.00\Dm/s"))
    magnets = bench.get_by_label("magnets", exact=True)
    magnets.fill("2")
    expect(heading(bench)).to_have_text(re.compile(r"is 2\.00\Dm/s"))
    expect(bench.locator(".LoosePart-part-constants li", has=magnets).locator(".role-chosen")).to_be_visible()
    expect(bench.locator(".Rules-rules")).to_contain_text("one magnet taken for all")
    magnets.fill("0")
    expect(bench.locator(".field-fault")).to_contain_text("cannot be below 1")
    expect(magnets).to_have_value("0")
    bench.get_by_label("A part without a rig").select_option("battery-divider")
    expect(heading(bench)).to_have_text(re.compile("counts is"))
    bench.go_back()
    expect(heading(bench)).to_have_text(re.compile("m/s"))


def test_units_are_switched_and_remembered(bench: Page) -> None:
    bench.goto("/convert?part=hall-switch&r.period=300000")
    bench.get_by_role("button", name="Settings").click()
    bench.get_by_label("km/h").check()
    bench.get_by_label("%", exact=True).check()
    bench.get_by_label("V", exact=True).check()
    expect(heading(bench)).to_have_text(re.compile(r"is 14\.4\d?\Dkm/h"))
    expect(bench.get_by_label("Wanted speed")).to_have_value("3.6")
    bench.goto("/convert?part=analogue-accelerometer")
    expect(bench.locator(".WorkedLine-result")).to_contain_text("%")
    expect(bench.get_by_label("a x", exact=True)).to_have_value(re.compile(r"^1\.\d"))
    bench.get_by_label("a x", exact=True).fill("1.65")
    expect(bench).to_have_url(re.compile(r"r\.x=338"))


def test_on_a_rig_each_sensor_is_worked_with_the_rigs_own_constants(page: Page, served: Served) -> None:
    page.goto("/fern/convert?r.echo=1748")
    expect(heading(page)).to_have_text(re.compile(r"1\D748\Dµs is 301\Dmm"))
    ruler = "/api/rigs/fern/sensors/front-ranger/procedures/ruler"
    rows = [{"true_mm": mm, "reading": us} for mm, us in ((150, 885), (400, 2330), (900, 5226))]
    served.client.post(f"{ruler}/notebook", json={"rows": rows}).raise_for_status()
    served.client.post(f"{ruler}/accept", json={}).raise_for_status()
    page.reload()
    expect(heading(page)).to_have_text(re.compile(r"is 299\.\d\Dmm|is 299\Dmm"))
    expect(page.locator(".Shares-share-labels")).to_contain_text("sound and offset")
    page.locator(".SensorMenu-slab-sensor select").select_option("air")
    expect(heading(page)).to_have_text(re.compile(r"°C is 21\.5\D"))
    page.get_by_role("button", name="tilt", exact=True).click()
    expect(page.locator(".frame-slab")).to_be_visible()
    page.get_by_role("button", name="air", exact=True).click()
    expect(heading(page)).to_have_text(re.compile(r"°C is 21\.5\D"))


def test_the_timer_planner_names_the_prescaler_and_where_each_says_slow(bench: Page) -> None:
    bench.goto("/convert?bench=timer&clock=8000000&slow=30&fast=6000")
    expect(heading(bench)).to_have_text(re.compile(r"Time each turn with ÷\D256: at worst 0\.32\D% off"))
    expect(bench.locator(".next")).to_contain_text("overflow before 30")
    bench.get_by_text("The same in figures").click()
    row = bench.get_by_role("row", name=re.compile("÷\\D256"))
    expect(row).to_contain_text("28.6")  # common practice: 8 MHz/256 overflows below 28.6 rpm
    bench.locator(".PlanChart-plan svg").hover(position={"x": 400, "y": 100})
    expect(bench.locator("figcaption")).to_contain_text(re.compile("At .*rpm: .*count "))
    bench.get_by_label("÷\u2009256").click()
    expect(heading(bench)).to_have_text(re.compile("÷\\D1024"))
    bench.get_by_label("Slowest").fill("0.1")
    expect(heading(bench)).to_have_text(re.compile("overflow at 0.1 rpm"))
    bench.get_by_label("Slowest").fill("60")
    expect(bench.locator(".PlanChart-plan .PlanChart-best")).to_be_visible()
    bench.get_by_label("Counter").fill("32")  # 2³² ticks of 16 MHz are 268 s: no prescaler is needed any more
    bench.get_by_label("Clock").fill("16")
    expect(heading(bench)).to_have_text(re.compile(r"Time each turn with ÷\D1:"))
    expect(bench).to_have_url(re.compile("clock=16000000.*bits=32|bits=32.*clock=16000000"))


def test_a_second_opinion_finds_the_odd_one_and_what_betrays_it(bench: Page) -> None:
    bench.goto("/convert?bench=opinion")
    expect(heading(bench)).to_have_text("Which instrument is right?")
    for at, (name, value, spread) in enumerate([("edges", "412", "3"), ("on change", "826", "6")], start=1):
        bench.get_by_label(f"Instrument {at}").fill(name)
        bench.get_by_label(f"Reading {at}", exact=True).fill(value)
        bench.get_by_label(f"± of reading {at}").fill(spread)
    expect(heading(bench)).to_have_text("No two of them agree")
    bench.get_by_role("button", name="One more instrument").click()
    bench.get_by_label("Instrument 3").fill("motor Halls")
    bench.get_by_label("Reading 3", exact=True).fill("414")
    bench.get_by_label("± of reading 3").fill("0")
    expect(bench.locator(".field-fault")).to_contain_text("above zero")
    bench.get_by_label("± of reading 3").fill("2")
    expect(heading(bench)).to_have_text(re.compile(r"2 of 3 agree: 413"))
    expect(bench.locator(".SecondOpinion-opinion .SecondOpinion-outlier")).to_contain_text("double marks")
    bench.reload()
    expect(heading(bench)).to_have_text(re.compile("2 of 3 agree"))
    bench.get_by_label("all in").fill("Hz")
    expect(heading(bench)).to_have_text(re.compile("413.*Hz$"))
    for _ in range(3):
        bench.get_by_role("button", name="Remove reading 1").click()
    expect(heading(bench)).to_have_text("Which instrument is right?")
    bench.get_by_role("button", name="Show me three on one shaft").click()
    expect(heading(bench)).to_have_text(re.compile("of 3 agree"))


def test_colours_and_values_of_resistors(bench: Page) -> None:
    bench.goto("/convert?bench=resistors")
    expect(heading(bench)).to_have_text(re.compile(r"Red, red, brown, gold is 220\DΩ"))  # IEC 60062
    bench.get_by_label("Value").fill("4700")
    expect(heading(bench)).to_have_text(re.compile(r"Yellow, violet, red, gold is 4\.7\DkΩ"))
    bench.get_by_role("button", name="5", exact=True).click()
    expect(bench.locator(".Resistors-drawn-resistor .Resistors-band")).to_have_count(5)
    expect(heading(bench)).to_have_text(re.compile(r"4\.7\DkΩ ±\D1\D%"))
    bench.get_by_label("band 1").select_option("green")
    expect(heading(bench)).to_have_text(re.compile(r"5\.7\DkΩ"))
    bench.get_by_label("Value").fill("5712")
    expect(bench.get_by_role("alert")).to_contain_text("digits")
    bench.get_by_label("Forward").fill("6")
    expect(bench.locator(".Resistors-circuits")).to_contain_text("leaves nothing")
    bench.get_by_label("Never above").fill("1")
    expect(bench.locator(".Resistors-circuits [role=alert]").first).to_be_visible()


def test_the_tilt_bench_says_it_in_words(bench: Page) -> None:
    bench.goto("/convert?bench=tilt&ax_g=0.5&ay_g=0&az_g=0.8660254")
    expect(heading(bench)).to_have_text("Nose up 30.0°")
    bench.get_by_role("button", name="−1 g").click()
    expect(heading(bench)).to_have_text("Nose up 30.0°")
    bench.get_by_label("x, forward", exact=True).fill("3")
    expect(heading(bench)).to_have_text(re.compile("if it stood still"))
    expect(bench.locator(".next")).to_contain_text("not 1 g")
    bench.goto("/convert?bench=tilt&ax_g=0&ay_g=0.6&az_g=0.8")
    expect(heading(bench)).to_have_text(
        re.compile(r"left side (up|down) 36\.9°|right side (up|down) 36\.9°", re.IGNORECASE)
    )
    bench.get_by_label("Drag y, left").fill("0")
    expect(heading(bench)).to_have_text("Level, if it stood still")
    bench.get_by_label("Track").fill("200")
    bench.get_by_label("Centre of gravity").fill("100")  # half of 200 beside 100 up: it tips at 45°
    expect(bench.get_by_role("main")).to_contain_text(re.compile(r"45\.0°"))


def test_a_file_is_looked_at_mapped_and_converted(bench: Page, tmp_path: Path) -> None:
    file = tmp_path / "walk.csv"
    file.write_text("t_us,echo_us,air_c,probe\n0,1748,20,512\n50000,0,,1\n100000,1750,30,2\n")
    bench.goto("/fern/convert?bench=file")
    bench.get_by_label("File of raw readings").set_input_files(file)
    expect(heading(bench)).to_have_text(re.compile("It gives front_ranger_distance_mm"))
    expect(bench.get_by_label("What echo_us is")).to_have_value("front-ranger.echo")
    bench.get_by_role("button", name="usual values").click()
    bench.get_by_label("What probe is").select_option("battery-divider.counts")
    expect(heading(bench)).to_have_text(re.compile("level_v"))
    with bench.expect_download() as taken:
        bench.get_by_role("button", name="Download converted file").click()
    assert taken.value.suggested_filename == "walk-converted.csv"
    rows = [line.split(",") for line in Path(taken.value.path()).read_text().splitlines()]
    found = [dict(zip(rows[0], row, strict=True)) for row in rows[1:]]
    assert float(found[0]["distance_mm"]) == pytest.approx(300.65, abs=0.01)
    assert (found[1]["distance_mm"], found[1]["distance_reason"]) == ("", "dropout")
    assert float(found[0]["level_v"]) == pytest.approx(2.5)
    bench.get_by_role("button", name="Work out row 3 of ultrasonic-ranger").click()
    expect(heading(bench)).to_have_text(re.compile(r"1\D750\Dµs is"))
    bench.go_back()
    expect(bench.get_by_label("What probe is")).to_have_value("battery-divider.counts")  # nothing was lost
    file.write_bytes(bytes(range(256)) * 40)
    bench.get_by_label("File of raw readings").set_input_files(file)
    expect(heading(bench)).to_have_text(re.compile("no text|no table"))
