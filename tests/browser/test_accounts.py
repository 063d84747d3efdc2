"""Coming in where others reach Emblar: log in, invite somebody, and the guest who looks."""

import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, expect

from emblar.platform.settings import settings
from emblar.platform.studio import HERE
from emblar.steps.accounts.actions import add_account
from tests.browser.conftest import served

PASSWORD = "drums are wood and air"


def test_an_owner_logs_in_and_invites_a_guest_who_looks(
    browser: Browser, planned: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(settings(), "accounts", True)
    add_account(HERE.studio_id, "Wren", "owner", PASSWORD)
    with served() as address:
        page = browser.new_context(base_url=address).new_page()
        page.goto(f"/sessions/{planned}/plan")
        expect(page.get_by_role("heading", level=1)).to_have_text("Log in")
        assert Axe().run(page).response["violations"] == []
        page.get_by_label("Name").fill("Wren")
        page.get_by_label("Password").fill("not it, not it")
        page.keyboard.press("Enter")
        expect(page.get_by_role("alert").first).to_contain_text("do not belong together")
        page.get_by_label("Password").fill(PASSWORD)
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile(rf"/sessions/{planned}/plan"))
        page.goto("/")
        page.keyboard.press("6")
        expect(page.get_by_role("heading", level=1)).to_have_text("Wren")
        assert Axe().run(page).response["violations"] == []
        page.get_by_label("Invite somebody as").select_option("guest")
        page.get_by_role("button", name="Make a link").click()
        link = page.get_by_role("status").filter(has_text="Send this link").locator("code")
        invited = link.inner_text()
        guest = browser.new_context(base_url=address).new_page()
        guest.goto(invited)
        guest.get_by_label("Your name here").fill("Finch")
        guest.get_by_label("A password of at least 10 letters").fill("feathers and quills")
        guest.get_by_role("button", name="Come in").click()
        expect(guest.locator(".open-line")).to_contain_text("You are here as a guest")
        guest.goto(f"/sessions/{planned}/plan")
        expect(guest.locator("#main")).to_contain_text("Plan 1")
        page.reload()
        page.get_by_role("button", name="End this account of Finch").click()
        expect(page.locator(".account-lines").last).not_to_contain_text("Finch")
        guest.goto("/")
        expect(guest.get_by_role("heading", level=1)).to_have_text("Log in")
