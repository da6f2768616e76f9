"""A phone on the network: it needs the key, is listed, records, and is shut out again; over real HTTPS."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import watched_page
from tests.served import Served


@pytest.fixture
def phone(chromium: Browser) -> Iterator[Page]:
    context = chromium.new_context(
        viewport={"width": 390, "height": 844},
        ignore_https_errors=True,  # as a person does who has compared the fingerprint
        is_mobile=True,
        has_touch=True,
        user_agent="Mobi",
    )
    yield context.new_page()
    context.close()


@pytest.fixture
def machine(chromium: Browser, open_house: Served) -> Iterator[Page]:
    """A window at the machine itself."""
    yield from watched_page(chromium, open_house)


def test_a_phone_comes_in_by_key_or_code_and_is_shut_out(
    machine: Page, phone: Page, open_house: Served
) -> None:
    page = machine
    page.goto("/fern/wire")
    page.get_by_role("button", name="Settings").click()
    page.get_by_role("button", name="Other devices").click()
    devices = page.get_by_role("dialog")
    expect(devices).to_contain_text("Nobody has been let in yet")
    expect(devices.locator("svg path")).to_be_visible()
    access = open_house.client.get("/api/access").json()
    port = access["addresses"][0].rpartition(":")[2]
    key = access["key"]
    expect(devices).to_contain_text(key)

    # as typed, wrong and right
    phone.goto(f"https://localhost:{port}/fern/watch")
    expect(phone.locator("h1")).to_have_text("This device needs the access key")
    phone.get_by_label("Access key").fill("wrong")
    phone.get_by_role("button", name="Enter").click()
    expect(phone.get_by_role("alert")).to_contain_text("not the access key")
    phone.get_by_label("Access key").fill(key.replace("-", " ").lower())
    phone.get_by_role("button", name="Enter").click()
    expect(phone.locator("h1")).to_have_text("Nothing is connected yet")
    expect(devices).to_contain_text("A phone at")
    phone.get_by_role("button", name="Connect", exact=True).first.click()
    expect(phone.locator("h1")).not_to_have_text("Nothing is connected yet")

    # shut out, within its open window too; then by the address of the code
    devices.get_by_role("button", name="Shut out").click()
    expect(devices).to_contain_text("Nobody has been let in yet")
    expect(phone.locator("h1")).to_have_text("This device needs the access key")
    phone.goto(f"https://localhost:{port}/enter?key={key}")
    expect(phone.locator("h1")).to_contain_text("on the bench")

    # another key: who is in stays in, the old one lets nobody in
    devices.get_by_role("button", name="Make another key").click()
    expect(devices).not_to_contain_text(key)
    phone.reload()
    expect(phone.locator("h1")).to_contain_text("on the bench")
    phone.context.clear_cookies()
    phone.goto(f"https://localhost:{port}/enter?key={key}")
    expect(phone.locator("body")).to_contain_text("not the access key")


def test_without_it_settings_say_how_others_are_let_in(page: Page) -> None:
    page.goto("/fern/wire")
    page.get_by_role("button", name="Settings").click()
    page.get_by_role("button", name="Other devices").click()
    expect(page.get_by_role("dialog")).to_contain_text("./tick-stone serve --lan")
