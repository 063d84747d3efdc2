"""Calm screens: what is not needed first is folded, opens by hand, and stays open."""

import re

import pytest
from playwright.sync_api import Browser, expect

from emblar.platform.studio import HERE
from emblar.steps.kit.actions.drums import kit


@pytest.mark.parametrize("width", [1280, 390])
def test_what_is_unfolded_stays_unfolded(
    browser: Browser, address: str, planned: int, width: int
) -> None:
    page = browser.new_context(
        base_url=address, viewport={"width": width, "height": 800}
    ).new_page()
    page.goto(f"/sessions/{planned}/plan?sel=tom-1")
    batter = page.get_by_label("Batter", exact=True)
    expect(batter).to_be_hidden()
    page.get_by_text("Change it by hand").click()
    expect(batter).to_be_visible()
    page.get_by_label("Pitch Hz").fill("121")
    page.get_by_label("Pitch Hz").press("Enter")
    expect(page.locator(".plan-sentence")).to_contain_text("121 Hz")
    expect(batter).to_be_visible()
    page.goto(f"/sessions/{planned}/plan?sel=kick")
    expect(page.get_by_label("Batter", exact=True)).to_be_visible()
    page.get_by_text("Change it by hand").click()
    page.reload()
    expect(page.get_by_label("Batter", exact=True)).to_be_hidden()


def test_an_error_in_a_folded_field_unfolds_it(
    browser: Browser, address: str, planned: int
) -> None:
    page = browser.new_context(base_url=address).new_page()
    drum = kit(HERE, planned)[0]
    page.goto(f"/sessions/{planned}/kit?sel=d{drum.id}")
    rods = page.get_by_label("Tension rods per head")
    expect(rods).to_be_hidden()
    page.get_by_text("More on this drum").click()
    rods.fill("3")
    page.get_by_text("More on this drum").click()
    page.get_by_role("button", name="Save", exact=True).first.click()
    expect(rods).to_be_visible()
    expect(page.get_by_role("alert").filter(has_text=re.compile("rods", re.I))).to_be_visible()


def test_an_alternative_is_used_from_its_line(browser: Browser, address: str, planned: int) -> None:
    page = browser.new_context(base_url=address).new_page()
    page.goto(f"/sessions/{planned}/plan?sel=tom-1")
    lines = page.locator(".alternatives li")
    changes = lines.locator("strong").all_inner_texts()
    assert 1 <= len(changes) <= 3
    assert len(set(changes)) == len(changes)
    before = page.locator(".plan-sentence").inner_text()
    lines.first.get_by_role("button", name="Use this").click()
    expect(page.locator(".plan-sentence")).not_to_have_text(before)
