"""Evening by its keys and labels: from the sheet to the clock, and what is done taken off."""

from datetime import timedelta

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from emblar.platform.settings import current_time
from emblar.platform.studio import HERE
from emblar.steps.sessions.actions.editing import SessionBrief, change_brief, one_session


def test_the_evening_is_planned_from_the_sheet_and_shrinks_with_the_work(
    page: Page, planned: int
) -> None:
    page.goto(f"/sessions/{planned}/sheet")
    page.keyboard.press("e")
    expect(page.locator("h1")).to_have_text("Evening")
    expect(page.get_by_role("alert")).to_contain_text("Say in Brief when the downbeat is")
    info = one_session(HERE, planned)
    soon = current_time().astimezone() + timedelta(hours=5)
    change_brief(HERE, planned, SessionBrief(info.name, artist=info.artist, downbeat_at=soon))
    page.reload()
    expect(page.get_by_text("everything is done by the downbeat")).to_be_visible()
    rows = page.locator(".evening-jobs tbody tr")
    before = rows.count()
    expect(page.get_by_role("group", name="The evening, drum by drum")).to_be_visible()
    assert Axe().run(page).response["violations"] == []
    rows.filter(has_text="Rack 12").first.get_by_role("link").click()
    expect(page.locator("h1")).to_contain_text("Rack 12")
    page.get_by_role("button", name="Skip").first.click()
    expect(page.get_by_text("Inspect the drum").first).to_be_visible()
    page.goto(f"/sessions/{planned}/evening")
    expect(rows).to_have_count(before - 1)
    expect(page.get_by_text("Rack 12: 1 job done")).to_be_visible()
