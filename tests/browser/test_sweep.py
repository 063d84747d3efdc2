"""Tuning by ear alone: strokes brought as files, the curve drawn, the last one undone."""

import numpy as np
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.bench.actions.tuning import bench
from emblar.steps.kit.actions.drums import kit
from tests.practice import DrumInTheRoom
from tests.recordings import RATE


def test_a_drum_is_tuned_by_ear_and_the_curve_drawn(page: Page, planned: int) -> None:
    drum = next(d for d in kit(HERE, planned) if d.owned.name == "Rack 12")
    room = DrumInTheRoom(bench(HERE, planned, drum.id), 4, apart=0.0, slack=0.6)
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    page.get_by_text("Tune it by ear alone").click()
    expect(page.locator("h1")).to_have_text("Rack 12: by ear")
    expect(page.locator("[data-big]")).to_have_text("Strike, crank a little, strike again")
    chooser = page.get_by_label("Use a recording of strokes")
    for stroke in range(5):
        quiet = np.zeros(RATE // 4)
        samples = np.concatenate([quiet, room.hidden.strike(rate=RATE, seconds=1.5)])
        chooser.set_input_files(
            {"name": "stroke.wav", "mimeType": "audio/wav", "buffer": wav_bytes(samples, RATE)}
        )
        expect(page.locator(".draw-sweep .take-dot")).to_have_count(stroke + 1, timeout=30_000)
        for side in room.hidden.tensions:
            room.hidden.tensions[side] = room.hidden.tensions[side] * 1.18
    expect(page.locator("[data-then]")).to_contain_text("Now ")
    expect(page.get_by_role("group", name="The sweep")).to_be_visible()
    assert Axe().run(page).response["violations"] == []
    page.keyboard.press("u")
    expect(page.locator(".draw-sweep .take-dot")).to_have_count(4)
    page.keyboard.press("b")
    expect(page.locator("h1")).to_contain_text("Rack 12")
