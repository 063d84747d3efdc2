"""Hum of the kit: a kick struck, a tom answers; struck again after a cure, and it is quieter."""

import numpy as np
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.bench.actions.hum import hum_map
from emblar.steps.kit.actions.drums import kit
from tests.core.tuning.test_hum import RATE, struck, with_hum


def test_what_hums_is_measured_and_measured_again(page: Page, planned: int) -> None:
    drums = {d.owned.name: d for d in kit(HERE, planned)}
    tom = next(d for d in hum_map(HERE, planned).drums if d.name == "Rack 12")
    page.goto(f"/sessions/{planned}/bench?sel=d{drums['Kick 22'].id}")
    page.get_by_role("link", name="Sympathetic resonance of the other drums").click()
    expect(page.locator("[data-big]")).to_have_text("Strike Kick 22 once")
    row = page.locator(".hum-map tbody tr").filter(has=page.get_by_role("rowheader", name="Kick"))
    expect(row.get_by_text("about").first).to_be_visible()
    for level_db in (-22.0, -34.0):
        sound = with_hum(struck(), tom.hz, level_db)
        clip = wav_bytes(0.5 * sound / np.abs(sound).max(), RATE)
        page.get_by_label("Use a recorded stroke").set_input_files(
            {"name": "kick.wav", "mimeType": "audio/wav", "buffer": clip}
        )
        expect(row.get_by_text(f"−{-level_db:.0f} dB for")).to_be_visible()
    expect(row.get_by_text("was −22")).to_be_visible()
    expect(page.get_by_text("Rack 12 answers Kick 22 at −34 dB")).to_be_visible()
    assert Axe().run(page).response["violations"] == []
    page.get_by_label("Use a recorded stroke").set_input_files(
        {
            "name": "short.wav",
            "mimeType": "audio/wav",
            "buffer": wav_bytes(struck()[: RATE // 2], RATE),
        }
    )
    expect(page.get_by_text("let it ring for two seconds").first).to_be_visible()
    page.keyboard.press("b")
    expect(page.locator("h1")).to_contain_text("Kick 22")
