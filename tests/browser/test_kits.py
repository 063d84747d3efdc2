"""A kit from before: brought with one choice, kept by name, drums copied and moved."""

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect


def test_the_second_session_begins_with_the_kit_of_the_first(page: Page, planned: int) -> None:
    page.goto("/")
    row = page.get_by_role("link", name="Low Ferry")
    expect(row).to_contain_text("3 of 3 drums planned")
    page.get_by_label("Song or session").fill("Second Ferry")
    expect(page.get_by_label("Your kit")).to_contain_text("the kit of Low Ferry (3 drums)")
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.locator("h1")).to_have_text("Add the record")
    page.keyboard.press("3")
    expect(page.locator("h1")).to_have_text("Kit")
    expect(page.get_by_text("3 drums in this kit")).to_be_visible()
    for name in ("Rack 12", "Kick 22", "Snare 14"):
        expect(page.get_by_label("Drums").get_by_role("link", name=name).first).to_be_visible()
    page.goto("/")
    expect(page.get_by_role("link", name="Second Ferry")).to_contain_text("Add the record")


@pytest.mark.usefixtures("database")
def test_an_empty_session_begins_with_a_preset_kit(page: Page) -> None:
    page.goto("/")
    expect(page.get_by_role("heading", name="Drop a recording")).to_be_visible()
    page.get_by_label("Song or session").fill("Low Ferry")
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.locator("h1")).to_have_text("Add the record")
    page.keyboard.press("3")
    page.get_by_role("button", name="Use new small jazz kit").click()
    expect(page.get_by_text("4 drums in this kit")).to_be_visible()
    page.get_by_role("button", name="Copy").click()
    expect(page.get_by_text("5 drums in this kit")).to_be_visible()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Rack 12 2")
    page.get_by_label("Borrowed from").fill("Quillfeather Rooms")
    page.get_by_label("Position", exact=True).select_option(label="on the floor")
    page.get_by_role("button", name="Save", exact=True).first.click()
    expect(page.get_by_label("Borrowed from")).to_have_value("Quillfeather Rooms")
    expect(page.get_by_label("Position", exact=True)).to_have_value("floor")
    page.get_by_role("button", name="Remove Rack 12 2 from the kit").click()
    expect(page.get_by_text("4 drums in this kit")).to_be_visible()
    page.get_by_label("One of your drums that is not in this kit").select_option(
        label="Rack 12 2, 12 in, borrowed from Quillfeather Rooms"
    )
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_text("5 drums in this kit")).to_be_visible()
    page.get_by_text("Use or save a kit").click()
    page.get_by_label("Save this kit as").fill("Room A")
    with page.expect_navigation():
        page.get_by_label("Save this kit as").press("Enter")
    page.goto("/")
    expect(page.get_by_label("Your kit")).to_contain_text("Room A (5 drums)")
    assert Axe().run(page).response["violations"] == []


def test_a_plan_is_compared_with_the_one_before_and_undone(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan")
    expect(page.locator("h1")).to_have_text("Rack 12 plays tom 1")
    before = page.locator(".subtitle-line").inner_text()
    page.get_by_label("Pitch Hz").fill("120")
    page.get_by_label("Pitch Hz").press("Tab")
    expect(page.get_by_text("Rack 12: pitch changed by hand")).to_be_visible()
    page.get_by_label("Compare plan 1").click()
    expect(page.locator("h1")).to_have_text("Plan 1 and plan 2")
    expect(page.get_by_label("Rack 12", exact=True).get_by_text("120.0 Hz").first).to_be_visible()
    page.keyboard.press("b")
    expect(page.get_by_text("Rack 12: pitch changed by hand")).to_be_visible()
    page.keyboard.press("u")
    expect(page.get_by_text("Plan 1 again.")).to_be_visible()
    assert page.locator(".subtitle-line").inner_text() == before.replace("Plan 1", "Plan 3")
    assert Axe().run(page).response["violations"] == []
