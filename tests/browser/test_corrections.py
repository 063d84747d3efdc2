"""Correcting strokes as a person does: by keys, by mouse, several at once, in a long recording."""

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from emblar.platform.studio import HERE
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from tests.recordings import encoded, short_groove


def lane(page: Page, voice: str) -> int:
    return page.locator(f'[data-hit][data-voice="{voice}"]').count()


@pytest.mark.usefixtures("worker")
def test_ten_strokes_are_corrected_in_a_row_by_keys(page: Page, heard: int) -> None:
    page.goto(f"/sessions/{heard}/listen?sel=hat&start=0&stop=6")
    hats = lane(page, "hat")
    for done in range(1, 6):
        page.keyboard.press("j")
        page.keyboard.press("ArrowDown")
        expect(page.get_by_text("moved from hat to", exact=False)).to_be_visible()
        expect(page.locator('[data-hit][data-voice="hat"]')).to_have_count(hats - done)
        expect(page.locator("h1")).to_have_text("Hat on the record")
        expect(page).to_have_url(re.compile("start=0.00&stop=6"))
        expect(page.locator(".stroke.chosen")).to_have_count(1)
    for left in range(4, -1, -1):
        page.keyboard.press("u")
        expect(page.locator('[data-hit][data-voice="hat"]')).to_have_count(hats - left)
    expect(page.get_by_text("is being measured again")).to_have_count(0)


def test_several_are_chosen_with_shift_and_moved_together(page: Page, heard: int) -> None:
    page.goto(f"/sessions/{heard}/listen?sel=hat&start=0&stop=6")
    hats = lane(page, "hat")
    page.keyboard.press("j")
    page.keyboard.press("Shift+J")
    page.keyboard.press("Shift+J")
    expect(page.locator("[data-stroke-says]")).to_have_text("3 strokes")
    page.keyboard.press("Delete")
    expect(page.get_by_text("3 strokes removed")).to_be_visible()
    assert lane(page, "hat") == hats - 3
    expect(page.get_by_text("being measured again")).to_be_visible()


def test_the_next_stroke_follows_the_one_that_was_removed(page: Page, heard: int) -> None:
    page.goto(f"/sessions/{heard}/listen?sel=hat&start=0&stop=6")
    hats = page.locator('[data-hit][data-voice="hat"]')
    times = [hats.nth(i).get_attribute("data-at") for i in range(4)]
    page.keyboard.press("j")
    page.keyboard.press("j")
    page.keyboard.press("Delete")
    expect(page.locator(f'[data-hit][data-at="{times[1]}"]')).to_have_count(0)
    page.keyboard.press("j")
    assert page.locator(".stroke.chosen").get_attribute("data-at") == times[2]


def test_a_stroke_is_added_by_clicking_its_lane(page: Page, heard: int) -> None:
    page.goto(f"/sessions/{heard}/listen?sel=kick&start=0&stop=6")
    kicks = lane(page, "kick")
    box = page.locator(".lanes-frame svg").bounding_box()
    label = page.locator(".lane-label", has_text="kick").bounding_box()
    assert box is not None
    assert label is not None
    page.mouse.click(box["x"] + box["width"] * 0.72, label["y"] + 4)
    expect(page.locator("[data-add-says]")).to_contain_text("kick at")
    page.keyboard.press("n")
    expect(page.get_by_text("Kick stroke added at", exact=False).first).to_be_visible()
    assert lane(page, "kick") == kicks + 1


def test_the_bar_of_the_whole_recording_jumps_and_the_window_is_in_the_address(
    page: Page, database: None
) -> None:
    session = start_session(HERE, SessionBrief("Long")).id
    long = encoded(np.concatenate([short_groove()] * 5), "FLAC")
    listen.run_analysis(listen.bring_recording(HERE, session, "long.flac", long, "drums").id)
    page.goto(f"/sessions/{session}/listen?sel=snare")
    page.get_by_role("navigation", name="Whole recording").get_by_role("link").nth(16).click()
    expect(page.locator(".window-line")).not_to_contain_text("0:00 to")
    here = page.url
    assert "start=" in here
    page.reload()
    assert page.url == here
    expect(page.locator("h1")).to_have_text("Snare on the record")
