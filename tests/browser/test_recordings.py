"""Recordings in the browser: files taken in, opened as lanes, cut, joined, given out and taken in again."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.steps import expect_notice, take_back
from tests.served import Served

WALK = "when;front (cm);left;mark\n" + "".join(
    f"{i * 20};{40 + i / 10:.1f};{300 + i % 5};{'50 cm' if 50 <= i < 60 else ''}\n".replace(".", ",")
    for i in range(200)
)
SPOILT = WALK.replace("\n100;", "\n1x0;")


def write(folder: Path, name: str, text: str) -> Path:
    path = folder / name
    path.write_text(text)
    return path


def test_a_file_is_mapped_taken_in_opened_cut_and_brought_back(page: Page, tmp_path: Path) -> None:
    page.goto("/fern/watch")
    page.get_by_role("button", name="Take in files").click()
    expect(page.locator("h1")).to_contain_text("Drop files of readings here")
    page.get_by_label("Files of readings").set_input_files(write(tmp_path, "door.csv", SPOILT))

    # what is still wanted is the heading; what is said is remembered
    expect(page.locator("h1")).to_have_text(
        "No column is the time: say which one is, or how many rows came a second."
    )
    expect(page.get_by_label("What front (cm) means")).to_have_value("front-ranger|echo")
    expect(page.get_by_label("front (cm) times")).to_have_value("58")
    page.get_by_label("What when means").select_option(label="the time, ms")
    expect(page.locator(".Import-import-said")).to_contain_text("about 50 rows/s")
    expect(page.locator(".Import-bad-lines")).to_contain_text("when is no number")
    expect(page.locator("h1")).to_have_text("All columns but “left” are understood")
    page.get_by_label("What left means").select_option(index=5)
    page.get_by_role("textbox", name="Name").fill("past the door")
    page.get_by_role("button", name="Store file").click()
    # a process begins
    expect(page.locator("h1")).to_have_text("past the door is taken in: 199 rows", timeout=60_000)
    page.get_by_role("button", name="Open the recording").click()

    # lanes, the mark from the file, the line that was not understood
    expect(page.locator("h1")).to_have_text("past the door")
    expect(page.locator(".stale")).to_contain_text("One line of the file was not understood")
    expect(page.locator(".Lanes-lane-name").first).to_have_text("front ranger")
    expect(page.locator(".OpenedRecording-recorded-lists")).to_contain_text(
        re.compile(r"50 cm at 1\.0.s, for 0\.2.s, really 500.mm")
    )
    expect(page.locator(".about-recording .watch-odd")).to_contain_text("line 7")
    page.get_by_label("Note").fill("lamp off")
    page.get_by_label("Note").blur()
    expect_notice(page, "Noted")

    # a raw lane beside the converted ones; cursor by key
    page.get_by_role("button", name=re.compile("lanes?$")).click()
    page.get_by_label("front ranger: echo time, raw").click()
    expect(page.get_by_label("front ranger: echo time, raw")).to_be_checked()
    page.keyboard.press("Escape")
    expect(page).to_have_url(re.compile("show=front-ranger%2Cfront-ranger.echo"))
    lanes = page.get_by_role("group", name=re.compile("lanes of past the door"))
    lanes.focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator(".ReadOuts-read-outs .ReadOuts-at-cursor").nth(1)).to_contain_text("µs")
    page.keyboard.press("[")
    expect(page.locator(".OpenedRecording-span-tools b")).to_contain_text("to 3.980")
    expect(page.locator(".ReadOuts-read-outs tbody tr").first).to_contain_text("50/s")

    # only the span is kept; undone, the whole is back
    page.get_by_role("button", name="Keep only this span").click()
    expect(page.locator("h1")).to_have_text("past the door, trimmed")
    take_back(page)
    expect(page.locator("h1")).to_have_text("past the door")


def test_two_recordings_are_joined_given_out_and_taken_in_again(page: Page, tmp_path: Path) -> None:
    page.goto("/fern/watch?view=import")
    page.get_by_text("Or type a table from a notebook").click()
    page.get_by_label("Table from a notebook").fill("echo_us, mark\n1748, 30 cm\n2914, 50 cm\n")
    page.get_by_role("button", name="Look at table").click()
    expect(page.locator("h1")).to_contain_text("Every column of")
    page.get_by_role("button", name="Store file").click()
    page.get_by_role("button", name="Open the recording").click()
    expect(page.locator(".OpenedRecording-recorded-lists")).to_contain_text("really 500")
    page.get_by_role("button", name="Back to live readings").click()
    page.get_by_role("button", name="All recordings").click()
    expect(page.locator(".AllRecordings-all-recordings")).to_contain_text("typed by hand")
    for box in page.get_by_role("checkbox").all()[:2]:
        box.click()
    page.get_by_role("button", name="Join the 2").click()
    expect(page.locator("h1")).to_have_text("First look at the bench and 1 more")
    expect(page.locator(".about-recording")).to_contain_text("joined from")
    with page.expect_download() as download:
        page.get_by_role("link", name="Download file").click()
    text = download.value.path().read_text()
    assert text.startswith("# Tick Stone\n")
    assert "front_ranger_distance_mm" in text
    page.get_by_role("button", name="Back to live readings").click()
    page.get_by_role("button", name="Take in files").click()
    page.get_by_label("Files of readings").set_input_files(
        write(tmp_path, download.value.suggested_filename, text)
    )
    expect(page.locator(".Import-import-said")).to_contain_text("exported by Tick Stone")
    page.get_by_role("button", name="Store file").click()
    page.get_by_role("button", name="Open the recording").click()
    expect(page.locator("h1")).to_have_text("First look at the bench and 1 more")
    page.goto("/fern/watch?view=recordings&away=1")
    expect(page.locator("h1")).to_have_text("2 recordings archived")


def test_a_file_dropped_at_watch_goes_on_the_bench_and_a_bad_one_says_why(page: Page) -> None:
    page.goto("/fern/watch")
    expect(page.get_by_role("button", name="Take in files")).to_be_visible()
    dropped = page.evaluate_handle(
        """() => { const data = new DataTransfer();
        data.items.add(new File(["nothing to see\\n"], "letter.txt")); return data; }"""
    )
    page.dispatch_event("body", "drop", {"dataTransfer": dropped})
    expect(page.locator("h1")).to_contain_text("There is no reading in this file. Line 1 is")
    expect(page.get_by_role("button", name="Store file")).to_have_count(0)
    page.get_by_role("button", name="Discard file").click()
    expect(page.locator("h1")).to_contain_text("Drop files of readings here")


def test_a_recording_is_looked_at_by_an_older_stone_cut_in_two_and_put_away(
    page: Page, served: Served
) -> None:
    rig = "/api/rigs/fern"
    served.client.post(f"{rig}/stones", json={"why": ""}).raise_for_status()
    page.goto("/fern/watch?recording=1")
    page.get_by_label("Constants to convert with").select_option("1")
    expect(page).to_have_url(re.compile("stone=1"))
    page.get_by_role("button", name=re.compile("lanes$")).click()
    page.get_by_label(re.compile("^air")).first.click()
    page.keyboard.press("Escape")
    expect(page.locator(".Lanes-lane-name")).not_to_contain_text(["air"])
    page.goto("/fern/watch?recording=1&s0=2&s1=6&t=4")
    given = page.get_by_role("link", name="Download file")
    expect(given).to_have_attribute("href", re.compile("t0=2&t1=6"))
    page.get_by_label("only the span").click()
    page.get_by_label("converted columns").click()
    expect(given).to_have_attribute("href", re.compile(r"form=csv&converted=false$"))
    page.get_by_role("button", name="Clear the span").click()
    expect(page.locator(".OpenedRecording-span-tools")).to_contain_text("Drag over the lanes")
    page.get_by_role("button", name=re.compile(r"^Split at 4")).click()
    expect_notice(page, "Split in two")
    expect(page.locator("h1")).to_contain_text("first part")  # its name, not that of the whole, is changed
    page.get_by_label("Name").fill("The first four seconds")
    page.get_by_label("Name").press("Enter")
    expect(page.locator("h1")).to_contain_text("The first four seconds")
    page.get_by_role("button", name="an earlier recording").click()
    expect(page).to_have_url(re.compile("recording=1(&|$)"))
    page.get_by_role("button", name="Bring recording back").click()
    expect_notice(page, "back among the recordings")
    page.goto("/fern/watch?view=recordings")
    page.get_by_label("Pick The first four seconds").click()
    page.get_by_label("Pick Pushed at a box").click()
    expect(page.get_by_role("button", name="Join the 2")).to_be_visible()
    page.get_by_role("button", name="Archived ones").click()
    expect(page.locator("h1")).to_have_text("No recording is archived")
    page.get_by_role("button", name="Those at hand").click()
    page.get_by_role("button", name="The first four seconds").click()
    expect(page.locator("h1")).to_contain_text("The first four seconds")


def test_sources_are_chosen_from_the_menu_and_a_port_that_is_not_there_says_so(page: Page) -> None:
    page.goto("/fern/watch")
    menu = page.locator(".source")
    menu.click()
    page.get_by_label("Port").fill("/dev/nowhere")
    page.get_by_label("Baud").select_option("9600")
    page.get_by_role("button", name="Add and open port").click()
    expect_notice(page, "/dev/nowhere")
    page.get_by_role("button", name="Connect the stand-in", exact=True).click()
    expect(page.locator(".source-live")).to_be_visible()
    menu.click()
    page.get_by_role("button", name="Disconnect stand-in").click()
    expect(page.locator(".source-live")).to_have_count(0)
    menu.click()
    page.locator(".SourceMenu-sources").get_by_role("button", name="Pushed at a box").click()
    expect(page.locator("h1")).to_contain_text("Pushed at a box")
    menu.click()
    page.get_by_role("button", name="Take in files …").click()
    expect(page.locator("h1")).to_contain_text("Drop files of readings here")
