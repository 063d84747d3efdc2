"""Match in the browser: a take brought, compared by key, a move made, and back again."""

import re

import numpy as np
import pytest
from playwright.sync_api import FilePayload, Page, expect

from emblar.platform.sound.decode import decode
from emblar.platform.studio import HERE
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.bench.actions.way_back import way_to
from emblar.steps.match.actions import comparison as match
from emblar.steps.match.actions.journey import keep_note
from emblar.steps.match.actions.sound import pair_sounds
from tests.browser.microphone import play_into_microphone
from tests.recordings import RATE
from tests.steps.match.test_comparison import a_take, drum_of, taken


def bring(page: Page, name: str, data: bytes) -> None:
    file: FilePayload = {"name": f"{name}.wav", "mimeType": "audio/wav", "buffer": data}
    page.locator("input[type=file][accept^=audio]").first.set_input_files(file)


@pytest.mark.usefixtures("worker")
def test_a_take_is_compared_moved_and_brought_back(page: Page, planned: int) -> None:
    drum = drum_of(planned, "tom")
    page.goto(f"/sessions/{planned}/match?sel=d{drum.id}")
    expect(page.locator(".subtitle-line")).to_contain_text("No take yet")
    bring(page, "first", a_take(planned, drum, off_cents=-120.0))
    expect(page.locator(".subtitle-line")).to_contain_text("Take 1 against the record")
    expect(page.get_by_role("heading", level=1)).to_contain_text("too low")
    root = page.locator("html")
    for title in ("The note dies away", "Pitch after the stroke", "What it is made of"):
        expect(page.get_by_role("group", name=title)).to_be_visible()
    page.keyboard.press("x")
    expect(root).to_have_attribute("data-playing", "record")
    page.keyboard.press("x")
    expect(root).to_have_attribute("data-playing", "take")
    page.get_by_label("Hear the take").select_option("live room")
    expect(page.locator("[data-pair][data-key='x']")).to_have_attribute(
        "data-take-sound", re.compile("room=medium")
    )
    page.keyboard.press("x")
    expect(root).to_have_attribute("data-playing", "record")
    first = match.match(HERE, planned, drum.id)
    expect(page.locator(".move-first")).to_contain_text(re.compile("up .* on every rod"))
    page.keyboard.press("Enter")
    expect(page.get_by_role("link", name="return here")).to_be_visible()
    bring(page, "second", a_take(planned, drum, off_cents=-10.0, seed=4))
    expect(page.locator(".subtitle-line")).to_contain_text("Take 2 against the record")
    after = match.match(HERE, planned, drum.id)
    assert after.shown is not None
    assert after.shown.comparison is not None
    assert first.shown is not None
    assert first.shown.comparison is not None
    assert after.shown.comparison.apart < first.shown.comparison.apart
    page.keyboard.press(" ")
    expect(page.locator(".journey-card.playing")).to_contain_text("Take 1")
    expect(page.locator(".journey-card.playing")).to_contain_text("Take 2")
    page.keyboard.press(" ")
    expect(page.locator(".journey-card.playing")).to_have_count(0)
    page.get_by_role("link", name="return here").first.click()
    expect(page.get_by_role("status").filter(has_text="The way to take 1")).to_contain_text(
        re.compile(r"every rod down .*, then up")
    )
    page.get_by_role("button", name="Done: the drum is back").click()
    expect(page.locator(".way")).to_have_count(0)
    assert way_to(HERE, planned, drum.id, first.bench.setup.id).nothing


def test_a_take_recorded_while_the_connection_is_lost_is_sent_when_it_is_back(
    page: Page, planned: int
) -> None:
    drum = drum_of(planned, "tom")
    page.goto(f"/sessions/{planned}/match?sel=d{drum.id}")
    page.keyboard.press("n")
    expect(page.locator("[data-take-says]")).to_contain_text(re.compile("[Ss]top"))
    play_into_microphone(page, a_take(planned, drum))
    page.context.set_offline(True)
    page.keyboard.press("n")
    expect(page.locator("[data-heard]")).to_contain_text("The take is kept and sent again")
    page.context.set_offline(False)
    expect(page.get_by_text("Measuring the take")).to_be_visible()
    assert len(match.match(HERE, planned, drum.id).takes) == 1


def test_return_here_leads_over_the_bench_to_what_the_heads_stood_at(
    page: Page, planned: int
) -> None:
    drum = drum_of(planned, "tom")
    goal = bench.bench(HERE, planned, drum.id).heads["batter"].planned_hz
    for number, hz in enumerate((0.97 * goal, goal), start=1):
        bench.type_readings(HERE, planned, drum.id, "batter", [hz] * drum.owned.rods)
        taken(planned, drum, a_take(planned, drum, seed=number))
        if number == 1:
            keep_note(
                HERE, planned, drum.id, bench.bench(HERE, planned, drum.id).setup.id, "dark one"
            )
            bench.turned(HERE, planned, drum.id, "batter")
    change_by_hand = page.get_by_role("button", name="gel pad near the edge", exact=True)
    page.goto(f"/sessions/{planned}/match?sel=d{drum.id}")
    page.keyboard.press("e")
    with page.expect_navigation():
        change_by_hand.click()
    page.get_by_role("link", name="return here").first.click()
    way = page.get_by_role("status").filter(has_text="The way to take 1, “dark one”, about")
    expect(way).to_contain_text(re.compile(r"Take off: gel pad near the edge.*Tap round in Bench"))
    way.get_by_label("From").select_option("take 2")
    expect(way).not_to_contain_text("gel pad")
    expect(way.get_by_role("button", name="Done")).to_have_count(0)
    way.get_by_label("From").select_option("how it is now")
    way.get_by_role("button", name="Done: to Bench, to tap round").click()
    expect(page.get_by_text("Going back to an earlier setup")).to_contain_text(f"{0.97 * goal:.0f}")
    page.get_by_role("button", name="The plan’s pitches again").click()
    expect(page.get_by_text("Going back to an earlier setup")).to_have_count(0)


def test_a_change_of_ones_own_takes_two_presses(page: Page, planned: int) -> None:
    drum = drum_of(planned, "tom")
    page.goto(f"/sessions/{planned}/match?sel=d{drum.id}")
    page.keyboard.press("e")
    chip = page.get_by_role("button", name="gel pad near the edge", exact=True)
    expect(chip).to_have_attribute("aria-pressed", "false")
    with page.expect_navigation():
        chip.click()
    page.keyboard.press("e")
    expect(page.get_by_role("button", name="gel pad near the edge", exact=True)).to_have_attribute(
        "aria-pressed", "true"
    )


OFFLINE = """
window.AudioContext = class extends OfflineAudioContext {
  constructor() { super(1, 3 * 44100, 44100); window.made = this; }
  resume() { return Promise.resolve(); }
};
"""
UNTIL_THE_KEY = """
() => {
  made.suspend(0.1).then(() => { window.waiting = true; });
  window.rendered = made.startRendering();
}
"""
REST = """
async () => {
  await OfflineAudioContext.prototype.resume.call(made);
  return Array.from((await rendered).getChannelData(0));
}
"""


def test_the_key_changes_over_within_50_ms_and_on_the_sample(page: Page, planned: int) -> None:
    drum = drum_of(planned, "snare")
    taken(planned, drum, a_take(planned, drum))
    page.add_init_script(OFFLINE)
    page.goto(f"/sessions/{planned}/match?sel=d{drum.id}")
    page.keyboard.press("x")
    expect(page.locator("html")).to_have_attribute("data-playing", "record")
    page.evaluate(UNTIL_THE_KEY)
    page.wait_for_function("window.waiting")
    page.keyboard.press("x")
    heard = np.array(page.evaluate(REST))
    record, take = (
        np.resize(decode(data).audio.samples[:, 0], 3 * RATE)
        for data in pair_sounds(HERE, planned, drum.id)
    )
    assert not np.allclose(record, take, atol=1e-3)
    began, changed = round(0.02 * RATE), round(0.1 * RATE)
    off = [np.abs(heard[began:] - one[: len(heard) - began]) for one in (record, take)]
    told = 1e-4 * np.abs(heard).max()
    only_record = np.flatnonzero(off[0] > told)
    only_take = np.flatnonzero(off[1][changed - began :] > told)
    assert only_record[0] + began >= changed - 128
    assert only_take[-1] < 0.05 * RATE
