"""A head that the model does not know, tuned from slack to its goal through the microphone."""

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.kit.actions.drums import kit
from tests.browser.microphone import play_into_microphone
from tests.browser.test_bench import BIG
from tests.core.tuning.test_tap_round import HEADS, tap
from tests.recordings import RATE

MOST_TAPS = 50
WRONG_TAP = 8
"""A tap of the second round sounds an octave too high."""
CLOSE_CENTS = 15.0
BEFORE_S = 0.8
APART_S = 1.4


class UnknownHead:
    """Tensions that sound as no model says: modes of their own, and turns that spread widely."""

    def __init__(self, goal_hz: float, rods: int, seed: int) -> None:
        self.rng = np.random.default_rng(seed)
        self.modes = HEADS[list(HEADS)[seed % len(HEADS)]]
        apart = np.minimum(np.arange(rods), rods - np.arange(rods))
        spread = np.exp(-apart / self.rng.uniform(0.4, 1.0))
        self.spread = spread / spread.sum()
        self.tensions = 0.6 * 2.0 ** (self.rng.uniform(-0.25, 0.25, rods))
        self.per_turn = self.rng.uniform(0.4, 1.2)
        self.goal_hz = goal_hz

    def lug_hz(self) -> np.ndarray:
        """Return the pitch near each rod: partly its own tension, partly the whole head's."""
        mixed = 0.45 * self.tensions + 0.25 * np.roll(self.tensions, len(self.tensions) // 2)
        return np.asarray(self.goal_hz * np.sqrt(mixed + 0.3 * self.tensions.mean()))

    def turn(self, rod: int, turns: float) -> None:
        real = turns * (1.0 + 0.15 * self.rng.standard_normal())
        self.tensions = self.tensions + real * self.per_turn * np.roll(self.spread, rod)

    def tap(self, rod: int, *, octave: bool) -> bytes:
        """Return a clip of one tap; an octave too high if asked."""
        hz = float(self.lug_hz()[rod]) * (2.0 if octave else 1.0)
        clip = 1e-3 * self.rng.standard_normal(round((BEFORE_S + APART_S) * RATE))
        start = round(BEFORE_S * RATE)
        sound = tap(self.modes, hz, int(self.rng.integers(1 << 30)))[: len(clip) - start]
        clip[start : start + len(sound)] += 0.5 * sound / np.abs(sound).max()
        return wav_bytes(clip, RATE)


def listen(page: Page, sound: bytes) -> None:
    """Play a clip into the microphone, and stop listening if the page still does."""
    page.keyboard.press(" ")
    stop = page.locator("[data-listen-says]", has_text="Listening: stop")
    expect(stop).to_be_visible()
    play_into_microphone(page, sound)
    page.wait_for_timeout(600.0)
    if stop.count():
        page.keyboard.press(" ")
        expect(stop).to_have_count(0)


@pytest.mark.slow
def test_a_whole_unknown_head_is_tuned_by_the_microphone(page: Page, planned: int) -> None:
    drum = next(d for d in kit(HERE, planned) if d.owned.kind == "tom")
    for name in ("as-found", "inspect"):
        bench.finish_job(HERE, planned, drum.id, name, skip=True)
    start = bench.bench(HERE, planned, drum.id)
    job = next(j for j in start.jobs if j.id not in start.done and j.text.startswith("even"))
    side = job.side
    assert side is not None
    for before in start.jobs[: start.jobs.index(job)]:
        if before.id not in bench.bench(HERE, planned, drum.id).done:
            bench.finish_job(HERE, planned, drum.id, before.id, skip=True)
    head = UnknownHead(start.heads[side].planned_hz, drum.owned.rods, 0)
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    taps = 0
    while taps < MOST_TAPS and job.id not in bench.bench(HERE, planned, drum.id).done:
        now = bench.bench(HERE, planned, drum.id).heads[side]
        if now.unread:
            rod = int(page.locator("[data-bench]").get_attribute("data-rod") or 0)
            listen(page, head.tap(rod, octave=taps == WRONG_TAP))
            taps += 1
            continue
        advice = now.advice
        if advice is None or not advice.order:
            break
        for rod in advice.order:
            head.turn(rod, advice.turns[rod])
        page.keyboard.press("t")
        expect(page.locator(BIG)).to_have_text("Tap round")
    cents = 1200.0 * np.log2(head.lug_hz() / head.goal_hz)
    assert np.abs(cents).max() < CLOSE_CENTS, (taps, cents)
