"""Rescue by its labels: a budget, the changes, one of them used."""

import numpy as np
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.kit.actions.drums import kit
from tests.core.test_sung import RATE, mouth, two


def test_a_budget_is_spent_and_a_change_used(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan")
    page.get_by_role("link", name="Best changes for a budget").click()
    expect(page.locator("h1")).to_have_text("Best changes for a budget")
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


def test_a_wish_is_sung_and_planned(page: Page, planned: int) -> None:
    drum = next(d for d in kit(HERE, planned) if d.owned.name == "Rack 12")
    page.goto(f"/sessions/{planned}/plan?sel=d{drum.id}")
    page.get_by_role("link", name="Sing how this drum").click()
    expect(page.locator(".bench-big")).to_have_text("Sing it twice")
    sound = two(mouth(0.3), mouth(0.16))
    clip = wav_bytes(0.5 * sound / np.abs(sound).max(), RATE)
    page.get_by_label("Use a recording").set_input_files(
        {"name": "two.wav", "mimeType": "audio/wav", "buffer": clip}
    )
    expect(page.locator(".bench-big")).to_have_text("Shorter")
    expect(page.get_by_text("Length: −4.")).to_be_visible()
    assert Axe().run(page).response["violations"] == []
    with page.expect_navigation():
        page.keyboard.press("Enter")
    wish = next(d for d in kit(HERE, planned) if d.id == drum.id).wish
    assert wish["steps"]["length"] < -3.5
