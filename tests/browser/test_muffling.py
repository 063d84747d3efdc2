"""Muffling at the bench, by its labels and keys: a stroke, a damper, a stroke, enough."""

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tests.steps.bench.test_muffling import a_tom, strike


def test_a_tom_is_muffled_one_thing_at_a_time(page: Page, planned: int) -> None:
    tom, room = a_tom(planned, ["gel-pad", "tape-flag"])

    def bring_a_stroke() -> None:
        page.get_by_label("Use a recorded stroke").set_input_files(
            {"name": "s.wav", "mimeType": "audio/wav", "buffer": strike(planned, tom, room)}
        )

    page.goto(f"/sessions/{planned}/bench?sel=d{tom.id}")
    page.locator(".bench-jobs summary").click()
    page.locator(".bench-jobs").get_by_role("button", name="Add the muffling").click()
    expect(page.locator("[data-big]")).to_have_text("Add the muffling")
    page.keyboard.press("Enter")
    expect(page.locator("h1")).to_have_text("Rack 12: muffling")
    expect(page.locator("[data-big]")).to_have_text("Strike once")
    bring_a_stroke()
    expect(page.locator(".draw-muffling .take-dot")).to_have_count(1, timeout=30_000)
    # Whatever the record asks of this drum: lay one on by hand, and hear what it did.
    page.get_by_label("Add something else").select_option(label="gel pad near the edge")
    page.get_by_role("button", name="Added", exact=True).last.click()
    expect(page.locator("[data-big]")).to_have_text("Strike once")
    expect(page.locator(".muffle-lying")).to_contain_text("gel pad near the edge")
    bring_a_stroke()
    expect(page.locator(".muffle-table tbody tr")).to_have_count(2, timeout=30_000)
    expect(page.locator(".muffle-table tbody tr").last).to_contain_text("+ gel pad near the edge")
    assert Axe().run(page).response["violations"] == []
    page.keyboard.press("u")
    expect(page.locator(".muffle-table tbody tr")).to_have_count(1)
    page.get_by_role("button", name="Leave it").click()
    expect(page.locator("h1")).to_contain_text("Rack 12")
    expect(page.locator(".bench-jobs li.done")).to_contain_text(["Add the muffling"])
