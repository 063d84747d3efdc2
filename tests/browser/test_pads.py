"""Cymbals and pads, pictures and notes, two takes in a loop, round the kit: by keys and labels."""

import re

import pytest
from playwright.sync_api import FilePayload, Page, expect

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.kit.actions.drums import kit
from emblar.steps.match.actions import comparison as match
from tests.browser.test_match import bring
from tests.core.matching.test_round import played
from tests.steps.match.test_comparison import a_take, drum_of, taken
from tests.steps.match.test_pads import crash, photo


@pytest.mark.usefixtures("worker")
def test_a_stack_is_added_taken_and_compared(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/match")
    page.keyboard.press("d")
    page.get_by_label("Name").fill("Stack, left")
    page.get_by_label("Made of").fill("a splash under a broken crash")
    page.get_by_label("Sounds like").select_option("hat")
    page.get_by_role("button", name="Add").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Stack, left")
    bring(page, "crash", crash(low_hz=900.0))
    expect(page.locator(".subtitle-line")).to_contain_text("Take 1 against the record's hat")
    expect(page.get_by_role("heading", level=1)).to_contain_text("much too long")
    expect(page.locator(".pad-advice").first).to_contain_text("Try, smallest change first")
    page.keyboard.press("x")
    expect(page.locator("html")).to_have_attribute("data-playing", "record")
    page.keyboard.press("x")
    expect(page.locator("html")).to_have_attribute("data-playing", "take")
    page.get_by_text("Change “Stack, left”").click()
    page.get_by_role("button", name="Remove this pad").click()
    expect(page.locator("main")).to_contain_text("Pad removed.")
    page.keyboard.press("u")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Stack, left")


def test_a_pad_without_a_name_is_told_at_the_field(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/match/pads")
    page.get_by_label("Made of").fill("two cymbals")
    page.get_by_label("Name").fill("   ")
    page.get_by_role("button", name="Add").click()
    expect(page.locator("main")).to_contain_text("Give it a name")
    expect(page.get_by_label("Made of")).to_have_value("two cymbals")


def test_two_takes_are_heard_against_each_other_with_note_and_picture(
    page: Page, planned: int
) -> None:
    drum = drum_of(planned, "tom")
    for off, seed in ((-60.0, 1), (-20.0, 4)):
        taken(planned, drum, a_take(planned, drum, off_cents=off, seed=seed))
    page.goto(f"/sessions/{planned}/match?sel=d{drum.id}")
    page.get_by_label("Against").select_option("take 1")
    compare = page.locator("[data-pair][data-key='x']")
    expect(compare).to_contain_text("Compare take 1 and take 2")
    page.keyboard.press("x")
    expect(compare).to_contain_text("Playing take 1")
    page.keyboard.press("x")
    expect(compare).to_contain_text("Playing take 2")
    page.keyboard.press("s")
    page.get_by_label("Note and picture of Take 1").click()
    page.get_by_label("Note on Take 1").fill("warm, a bit long")
    page.get_by_role("button", name="Save").first.click()
    expect(page.locator(".journey-note").first).to_contain_text("warm, a bit long")
    page.get_by_label("Note and picture of Take 1").click()
    file: FilePayload = {"name": "drum.jpg", "mimeType": "image/jpeg", "buffer": photo()}
    page.get_by_label("add a picture").first.set_input_files(file)
    expect(page.get_by_role("img", name=re.compile("drum at take 1"))).to_be_visible()
    assert match.match(HERE, planned, drum.id).takes[0].picture


def test_a_round_of_the_kit_is_brought_and_read(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/match")
    page.keyboard.press("r")
    expect(page.get_by_role("heading", level=1)).to_have_text("Round the kit")
    page.get_by_role("link", name="2 strokes each").click()
    count = len(kit(HERE, planned))
    sound = wav_bytes(played([0.0] * count, strikes=2), ANALYSIS_RATE_HZ)
    bring(page, "short", wav_bytes(played([0.0], strikes=2), ANALYSIS_RATE_HZ))
    expect(page.locator("main")).to_contain_text(f"{2 * count} strokes are needed")
    page.goto(f"/sessions/{planned}/match/round?strikes=2")
    bring(page, "round", sound)
    expect(page.get_by_role("group", name="Level of every drum")).to_be_visible()
    expect(page.locator(".subtitle-line")).to_contain_text("With fewer than two toms")
    page.keyboard.press("b")
    expect(page).to_have_url(re.compile(r"/match\?sel="))
