"""Setlist by its labels: two songs given a place, the change between them read."""

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tests.steps.setlist.test_actions import another_song


def test_two_songs_are_put_in_order(page: Page, planned: int) -> None:
    page.goto("/")
    page.keyboard.press("4")
    expect(page.locator("h1")).to_have_text("Setlist")
    expect(page.get_by_text("Two planned sessions are needed")).to_be_visible()
    another_song(planned, "Salt Road", {"pitch_hz": 150.0})
    page.reload()
    page.get_by_label("Low Ferry").fill("first")
    page.get_by_label("Salt Road").fill("2")
    page.get_by_role("button", name="Plan the changes").click()
    expect(page.get_by_role("alert")).to_contain_text("“first” is no place in a list")
    expect(page.get_by_label("Salt Road")).to_have_value("2")
    page.get_by_label("Low Ferry").fill("1")
    page.get_by_label("The order may be changed").check()
    page.get_by_role("button", name="Plan the changes").click()
    expect(
        page.get_by_text("of changes between the songs").or_(
            page.get_by_text("Nothing has to be changed")
        )
    ).to_be_visible()
    songs = page.locator(".setlist-order h3")
    expect(songs).to_have_count(2)
    assert Axe().run(page).response["violations"] == []
    with page.expect_download() as loading:
        page.get_by_role("link", name="JSON").click()
    assert loading.value.suggested_filename == "setlist.json"
