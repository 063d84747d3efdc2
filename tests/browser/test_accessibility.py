"""Every screen in light, dark and on a phone: axe finds nothing, nothing is wider than it."""

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions.recordings import run_analysis
from emblar.steps.match.actions import comparison as match
from emblar.steps.match.actions import pads, round_kit
from emblar.steps.practice import actions as practice
from tests.core.matching.test_round import played
from tests.steps.match.test_comparison import a_take, drum_of

SCREENS = (
    "brief",
    "listen?sel=tom-1",
    "kit",
    "plan?sel=tom-1",
    "bench?sel=d1",
    "match?sel=d1",
    "sheet",
)


@pytest.mark.parametrize(("scheme", "width"), [("light", 1280), ("dark", 1280), ("light", 390)])
def test_no_screen_has_an_accessibility_fault(
    page: Page, planned: int, scheme: str, width: int
) -> None:
    page.emulate_media(color_scheme=scheme)  # type: ignore[arg-type]
    page.set_viewport_size({"width": width, "height": 800})
    faults = []
    tom = drum_of(planned, "tom")
    goal = bench.bench(HERE, planned, tom.id).heads["batter"].goal_hz
    bench.type_readings(HERE, planned, tom.id, "batter", [0.95 * goal] * tom.owned.rods)
    run_analysis(match.bring_take(HERE, planned, tom.id, "t.wav", a_take(planned, tom)).id)
    drum = practice.begin_drum(HERE, "first-round")
    places = [
        "/",
        "/shelf",
        "/patterns",
        "/log",
        f"/log/drums/{tom.drum_id}",
        "/practice",
        f"/practice/drums/{drum}",
        "/practice/ear/higher",
        "/setlist",
    ]
    around = [
        "bench/hum",
        f"bench/{tom.id}/sweep",
        "plan/rescue?budget=60",
        f"plan/sung/{tom.id}",
        "share",
        "evening",
        "match/pads",
        "match/round",
        f"bench/{tom.id}/muffle",
        f"bench/{tom.id}/cures",
    ]
    pads.add_pad(HERE, planned, "Stack", "two cymbals", "hat")
    round_sound = played([0.0] * len(kit.kit(HERE, planned)), strikes=2)
    round_kit.bring_round(HERE, planned, 2, wav_bytes(round_sound, ANALYSIS_RATE_HZ))
    for path in [*places, *(f"/sessions/{planned}/{s}" for s in (*SCREENS, *around))]:
        page.goto(path)
        wide = page.evaluate("document.documentElement.scrollWidth")
        faults += [(path, "wider than the screen", [str(wide)])] if wide > width else []
        # In the dark only the colours are others.
        options = {"runOnly": ["color-contrast"]} if scheme == "dark" else None
        for fault in Axe().run(page, options=options).response["violations"]:
            places = [node["html"][:120] for node in fault["nodes"][:3]]
            faults.append((path, fault["id"], places))
    assert faults == []
