"""What once stopped people: forms that lost what was typed, windows that jumped, phones."""

import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, Page, expect

from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.sessions.actions.editing import SessionBrief, start_session


def test_a_wrong_number_in_the_brief_is_told_at_its_field_and_nothing_typed_is_lost(
    page: Page, planned: int
) -> None:
    page.goto(f"/sessions/{planned}/brief")
    page.get_by_label("The artist's wish").fill("Something with body.")
    page.get_by_label("Tempo bpm").fill("900")
    page.get_by_role("button", name="Save, go to Listen").click()
    field = page.get_by_label("Tempo bpm")
    expect(field).to_have_attribute("aria-invalid", "true")
    expect(field).to_be_focused()
    expect(page.get_by_role("alert").filter(has_text="at most 400")).to_be_visible()
    expect(page.get_by_label("The artist's wish")).to_have_value("Something with body.")
    field.fill("92,5")
    page.get_by_role("button", name="Save, go to Listen").click()
    expect(page.locator("h1")).to_contain_text("on the record")
    page.keyboard.press("1")
    expect(page.get_by_label("Tempo bpm")).to_have_value("92.5")


def test_a_wrong_head_on_the_shelf_is_told_at_its_field(page: Page, database: None) -> None:
    page.goto("/shelf")
    form = page.get_by_label("Loose heads")
    form.get_by_label("Diameter in").fill("huge")
    form.get_by_label("How many").fill("3")
    form.get_by_role("button", name="Put on the shelf").click()
    expect(form.get_by_role("alert")).to_contain_text("“huge” is not a number")
    expect(form.get_by_label("How many")).to_have_value("3")


def test_a_session_without_a_name_is_told_at_its_field(page: Page, database: None) -> None:
    page.goto("/")
    page.get_by_label("Song or session").fill("   ")
    page.get_by_label("Artist").fill("The Tin Orchard")
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_role("alert").filter(has_text="Give the session a name")).to_be_visible()
    expect(page.get_by_label("Artist")).to_have_value("The Tin Orchard")


def test_a_tom_that_cannot_be_split_is_told_where_it_was_asked(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=tom-1")
    page.get_by_role("button", name="Split tom 1 in two").click()
    expect(page.get_by_role("alert").filter(has_text="that is one drum")).to_be_visible(
        timeout=60_000
    )
    expect(page.locator("h1")).to_contain_text("Tom 1")


def test_the_window_stays_after_reload_and_back(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=kick&start=0&stop=4")
    expect(page.locator(".window-line")).to_contain_text("0:00 to 0:04")
    page.keyboard.press("+")
    expect(page.locator(".window-line")).to_contain_text("0:01 to 0:03")
    page.reload()
    expect(page.locator(".window-line")).to_contain_text("0:01 to 0:03")
    page.keyboard.press("3")
    expect(page.get_by_role("heading", name="Kit", exact=True)).to_be_visible()
    page.go_back()
    expect(page.locator(".window-line")).to_contain_text("0:01 to 0:03")
    expect(page.locator("canvas[data-drawn]")).to_be_visible()


def test_a_correction_offers_undo_once_and_stays_to_be_undone_later(
    page: Page, planned: int
) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=tom-1&start=4&stop=9")
    page.keyboard.press("j")
    page.keyboard.press("ArrowUp")
    line = page.locator(".undo-line")
    expect(line).to_contain_text("moved from tom 1 to snare", timeout=60_000)
    expect(page.locator(".window-line")).to_contain_text("0:04 to 0:09")
    page.goto(f"/sessions/{planned}/listen?sel=tom-1")
    expect(line).to_have_count(0)
    expect(page.get_by_text("Last: Stroke at")).to_be_visible()
    page.keyboard.press("u")
    expect(page.get_by_role("link", name="tom 1, 3 strokes")).to_be_visible(timeout=60_000)


def test_a_stroke_moved_in_another_window_is_not_overwritten(page: Page, planned: int) -> None:
    other = page.context.new_page()
    for tab in (page, other):
        tab.goto(f"/sessions/{planned}/listen?sel=tom-1")
        tab.keyboard.press("j")
    page.keyboard.press("ArrowUp")
    expect(page.locator(".undo-line")).to_contain_text("to snare", timeout=60_000)
    other.keyboard.press("ArrowDown")
    expect(other.locator("#message")).to_contain_text("not there any more", timeout=60_000)
    found = listen.analysed_record(HERE, planned)
    assert found is not None
    assert sum(h.voice == "tom-1" for h in found.analysis.hits) == 2


def test_another_reading_is_planned_for_with_one_press(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=kick")
    page.get_by_text("Add a value").click()
    page.get_by_label("Quantity").select_option("pitch")
    page.get_by_label("Value", exact=True).fill("49")
    page.get_by_label("How sure").first.select_option("sure")
    page.get_by_role("button", name="Add to the measurement").click()
    expect(page.locator(".card-table .record").first).to_contain_text("49.0 Hz")
    readings = page.locator(".readings li")
    expect(readings.first).to_contain_text("planned for")
    other = readings.nth(1).inner_text().split(" Hz")[0]
    page.keyboard.press("4")
    expect(page.get_by_role("heading", name="Kick 22")).to_be_visible()
    page.get_by_role("button", name=re.compile(f"Use this reading: {re.escape(other)}")).click()
    planned_for = page.locator("text", has_text=re.compile(rf"^plan {re.escape(other)}"))
    expect(planned_for).to_be_visible(timeout=60_000)


def test_cancelling_says_so_and_offers_to_begin_again(
    page: Page, database: None, groove: bytes
) -> None:
    session = start_session(HERE, SessionBrief("Low Ferry")).id
    listen.bring_recording(HERE, session, "groove.flac", groove, "drums")
    page.goto(f"/sessions/{session}/listen")
    page.keyboard.press("Escape")
    expect(page.get_by_text("cancelled; what was analysed before is still there")).to_be_visible()
    page.get_by_role("button", name="Analyse it again").click()
    expect(page.get_by_role("heading", name="Listening")).to_be_visible()


@pytest.mark.parametrize("step", ["brief", "listen", "kit", "plan", "plan/ways", "sheet"])
def test_on_a_phone_the_work_comes_first_and_nothing_is_too_wide(
    browser: Browser, address: str, planned: int, step: str
) -> None:
    context = browser.new_context(
        base_url=address, viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True
    )
    page = context.new_page()
    page.goto(f"/sessions/{planned}/{step}")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    heading = page.locator("h1").bounding_box()
    assert heading is not None
    assert heading["y"] < 844 / 3
    expect(page.get_by_role("link", name="Next drum")).to_be_visible()
    found = Axe().run(page)
    assert found.violations_count == 0, found.generate_report()
    context.close()


def test_page_titles_name_the_step_and_the_session(page: Page, planned: int) -> None:
    for step in ("Brief", "Listen", "Kit", "Plan", "Sheet"):
        page.goto(f"/sessions/{planned}/{step.lower()}")
        assert page.title() == f"{step} · Low Ferry · Emblar"


def test_matching_by_a_key_says_what_changed_and_is_undone_by_another(
    page: Page, planned: int
) -> None:
    kit.assign_voice(HERE, planned, "tom-1", None)
    page.goto(f"/sessions/{planned}/kit")
    page.keyboard.press("g")
    expect(page.get_by_text("Rack 12 now plays tom 1 (before: nothing).")).to_be_visible()
    page.keyboard.press("u")
    expect(page.get_by_label("Tom 1 is played by")).to_have_value("")
