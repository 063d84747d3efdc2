"""Share by its labels: a link made, opened by a stranger on a phone, and what they say taken up."""

import re

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, Page, expect


def test_an_engineer_says_what_is_missing_and_it_becomes_a_wish(
    page: Page, browser: Browser, planned: int
) -> None:
    page.goto(f"/sessions/{planned}/sheet")
    page.keyboard.press("l")
    page.get_by_label("For whom").fill("Wren")
    page.get_by_label("Days").fill("soon")
    page.get_by_role("button", name="Make the link").click()
    expect(page.get_by_text("is not a number of days").first).to_be_visible()
    expect(page.get_by_label("For whom")).to_have_value("Wren")
    page.get_by_label("Days").fill("3")
    page.get_by_role("button", name="Make the link").click()
    expect(page.get_by_title("Code to scan").or_(page.locator(".share-code svg"))).to_be_visible()
    assert Axe().run(page).response["violations"] == []
    path = re.sub(r"^https?://[^/]+", "", page.locator(".share-link").inner_text())
    root = re.match(r"^https?://[^/]+", page.url)
    assert root is not None
    phone = browser.new_context(viewport={"width": 390, "height": 844}).new_page()
    phone.goto(root.group(0) + path)
    expect(phone.get_by_role("heading", name="Low Ferry")).to_be_visible()
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390
    assert Axe().run(phone).response["violations"] == []
    snare = phone.get_by_role("region", name="About Snare 14")
    snare.get_by_text("Say something of Snare 14").click()
    snare.get_by_label("Your name").fill("Wren")
    snare.get_by_label("I would like it").select_option(label="attack: harder")
    snare.get_by_label("In words").fill("It disappears.")
    snare.get_by_role("button", name="Send").click()
    expect(snare.get_by_text("Wren: attack harder: It disappears.")).to_be_visible()
    page.goto(f"/sessions/{planned}/share")
    expect(page.get_by_text("opened 2 times")).to_be_visible()
    page.get_by_role("button", name="Take it up").click()
    expect(page.get_by_text("· accepted")).to_be_visible()
    page.get_by_role("button", name="End the link for Wren").click()
    expect(page.get_by_text("None.")).to_be_visible()
    phone.reload()
    expect(phone.get_by_text("This link has ended")).to_be_visible()
