"""Rescue by its labels: a budget, the changes, one of them used."""

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect


def test_a_budget_is_spent_and_a_change_used(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan")
    page.get_by_role("link", name="A small budget: which changes bring most").click()
    expect(page.locator("h1")).to_have_text("Rescue")
    page.get_by_label("Budget").fill("lots")
    page.get_by_role("button", name="Find the changes").click()
    expect(page.get_by_role("alert").filter(has_text="“lots” is not a number")).to_be_visible()
    page.get_by_label("Budget").fill("150")
    page.get_by_role("button", name="Find the changes").click()
    expect(page.get_by_role("status")).to_contain_text("audible steps nearer")
    assert Axe().run(page).response["violations"] == []
    first = page.locator(".rescue-list li").first
    drum = first.locator("strong").inner_text().split(":")[0]
    first.get_by_role("button", name="Use it").click()
    expect(page.locator("h1")).to_contain_text(drum)
    expect(page.locator("h1")).to_be_visible()
