import re
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, Route, expect

from emblar.core.planning.plan_drum import DrumPlan, plan_drum
from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.plan.actions import planning as plan
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from tests.drums import OWNED_TOM
from tests.recordings import bad_recordings, encoded, short_groove

PLAYING = "import('/static/player.js').then((player) => player.isRunning())"
LOOPING = "import('/static/player.js').then((player) => player.isRunning() && player.isLooping())"


@pytest.fixture(scope="module")
def groove_file(groove: bytes, tmp_path_factory: pytest.TempPathFactory) -> Path:
    file = tmp_path_factory.mktemp("groove") / "groove.flac"
    file.write_bytes(groove)
    return file


def test_from_upload_to_the_sheet_by_labels_and_keys(
    page: Page, worker: None, groove_file: Path
) -> None:
    page.goto("/")
    page.get_by_label("Song or session").fill("Low Ferry")
    page.get_by_label("Artist").fill("The Tin Orchard")
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_role("heading", name="Add the record")).to_be_visible()
    page.locator("input[type=file]").set_input_files(groove_file)
    expect(page.get_by_text("groove.flac")).to_be_visible()
    page.get_by_text("drums only").click()
    page.get_by_role("button", name="Listen to it").click()
    heading = page.get_by_role("heading", name="on the record")
    expect(heading).to_be_visible(timeout=60_000)
    expect(page.get_by_role("link", name="tom 1, 3 strokes")).to_be_visible()

    page.keyboard.press("3")
    expect(page.get_by_role("heading", name="Kit", exact=True)).to_be_visible()
    for key, kind in (("b", "kick"), ("s", "snare"), ("t", "tom")):
        page.keyboard.press(key)
        button = page.get_by_role("button", name="Add to the kit")
        expect(button).to_be_visible()
        button.click()
        expect(page.get_by_role("button", name="Save")).to_be_visible()
        page.locator("h1").click()
        voice = page.get_by_label(re.compile(f"^{kind}.* is played by", re.IGNORECASE))
        expect(voice).not_to_have_value("")

    page.keyboard.press("p")
    expect(page.get_by_text("plays tom 1")).to_be_visible(timeout=60_000)
    expect(page.locator("text", has_text=re.compile(r"^batter lug \d+$"))).to_be_visible()
    page.keyboard.press("7")
    sheet = page.get_by_role("article", name="Setup sheet")
    expect(sheet.get_by_role("heading")).to_have_text(
        ["Kick 22", "Snare 14", "Rack 12", "Order of work"]
    )
    assert len(page.pdf(format="A4", print_background=False)) > 10_000


def test_one_sheet_is_one_printed_page(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/sheet")
    pdf = page.pdf(prefer_css_page_size=True)
    assert len(re.findall(rb"/Type\s*/Page\b", pdf)) == 1


def test_a_sheet_of_five_drums_is_one_printed_page_with_a_microphone_each(
    page: Page, planned: int
) -> None:
    for name, diameter, pitch in (("Rack 10", 10.0, 150.0), ("Floor 16", 16.0, 80.0)):
        owned = replace(OWNED_TOM, name=name, diameter_in=diameter, depth_in=0.7 * diameter)
        drum = kit.add_drum(HERE, planned, owned).id
        plan.replan_drum(HERE, planned, drum, {"pitch_hz": pitch})
    page.goto(f"/sessions/{planned}/sheet")
    sheet = page.get_by_role("article", name="Setup sheet")
    expect(sheet.get_by_role("rowheader", name="mic")).to_have_count(5)
    pdf = page.pdf(prefer_css_page_size=True)
    assert len(re.findall(rb"/Type\s*/Page\b", pdf)) == 1


def test_the_brief_is_written_by_its_labels(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/brief")
    page.get_by_label("Studio").fill("Quillfeather Rooms")
    page.get_by_label("The artist's wish").fill("Nothing that rings on.")
    page.get_by_label("Stick rebound").select_option(label="lively")
    page.get_by_label("Played in").select_option(label="live")
    page.get_by_label("Kick", exact=True).select_option(label="inside and outside")
    page.get_by_label("In words, for the sheet").fill("One pair over the kit")
    page.get_by_role("button", name="Save, go to Listen").click()
    expect(page.locator("h1")).to_contain_text("on the record")
    page.keyboard.press("1")
    expect(page.get_by_label("Studio")).to_have_value("Quillfeather Rooms")
    expect(page.get_by_label("Stick rebound")).to_have_value("lively")
    expect(page.locator(".why")).to_contain_text("Rebound should be lively")
    page.keyboard.press("7")
    sheet = page.get_by_role("article", name="Setup sheet")
    expect(sheet).to_contain_text("Microphones: One pair over the kit")
    expect(sheet.get_by_label("Rack 12")).to_contain_text("2.4 in above the batter")


def test_strokes_and_voices_are_heard_by_keys(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=tom-1")
    expect(page.locator("canvas[data-drawn]")).to_be_visible()
    page.keyboard.press("j")
    chosen = page.locator(".stroke.chosen")
    expect(chosen).to_have_attribute("data-voice", "tom-1")
    first = chosen.get_attribute("data-hit")
    page.keyboard.press("j")
    assert page.locator(".stroke.chosen").get_attribute("data-hit") != first
    page.keyboard.press(" ")
    root = page.locator("html")
    expect(root).to_have_attribute("data-playing", re.compile(r"\d"))
    assert page.evaluate(PLAYING)
    expect(root).not_to_have_attribute("data-playing", re.compile(r"\d"), timeout=30_000)
    page.keyboard.press("l")
    expect(root).to_have_attribute("data-playing", re.compile(r"\d"))


def test_the_window_moves_and_zooms_by_keys(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=kick")
    frame = page.locator(".lanes-frame")
    expect(frame).to_be_visible()

    def span() -> float:
        return float(frame.get_attribute("data-to") or 0) - float(
            frame.get_attribute("data-from") or 0
        )

    before = span()
    with page.expect_response(re.compile("start=")):
        page.keyboard.press("+")
    page.wait_for_function(
        "before => { const d = document.querySelector('.lanes-frame').dataset;"
        " return d.to - d.from < before * 0.8; }",
        arg=before,
    )
    assert span() < before


def test_selection_stays_when_the_step_changes(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan")
    selected = page.locator("[data-strip][aria-current=true]")
    before = selected.get_attribute("aria-label") or ""
    page.keyboard.press("]")
    expect(selected).not_to_have_attribute("aria-label", before)
    name = selected.get_attribute("aria-label")
    page.keyboard.press("2")
    expect(page.locator("h1")).to_contain_text("on the record")
    assert page.locator("[data-strip][aria-current=true]").get_attribute("aria-label") == name


def test_a_choice_by_hand_is_planned_at_once(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan?sel=tom-1")
    page.get_by_text("equal", exact=True).first.click()
    expect(page.get_by_text("both heads on one note").first).to_be_visible(timeout=60_000)
    page.get_by_label("Batter", exact=True).select_option(label="single ply, clear")
    head = page.locator("text", has_text="batter: single ply, clear")
    expect(head).to_be_visible(timeout=60_000)
    page.get_by_label("Pitch Hz").fill("900")
    page.get_by_label("Pitch Hz").press("Tab")
    expect(page.get_by_role("alert")).to_contain_text("900 is outside 20 to 600 Hz")
    expect(head).to_be_visible()


def test_from_brief_to_sheet_by_keys_alone(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/brief")
    page.get_by_label("Tempo bpm").focus()
    page.keyboard.press("Control+A")
    page.keyboard.type("180")
    page.get_by_label("Fastest kick notes").focus()
    page.keyboard.type("4")
    page.keyboard.press("Enter")
    expect(page.locator("h1")).to_contain_text("on the record")
    page.keyboard.press("1")
    expect(page.get_by_text("At 180 bpm the fastest notes on the kick")).to_be_visible()
    page.keyboard.press("4")
    expect(page.locator(".subtitle-line")).to_contain_text("Plan ")
    with page.expect_navigation(timeout=60_000):
        page.keyboard.press("p")
    expect(page.locator(".subtitle-line")).to_contain_text("Plan ")
    page.get_by_label("Batter", exact=True).focus()
    for _ in page.get_by_label("Batter", exact=True).locator("option").all():
        if page.get_by_label("Batter", exact=True).input_value() == "double-coated":
            break
        page.keyboard.press("ArrowDown")
    head = page.locator("text", has_text="batter: double ply, coated")
    expect(head).to_be_visible(timeout=60_000)
    page.locator("h1").click()
    for key in ("h", "v", "g", "t"):
        page.keyboard.press(key)
        expect(page.locator("html")).to_have_attribute("data-playing", "0", timeout=60_000)
    with page.expect_navigation(timeout=60_000):
        page.keyboard.press("p")
    expect(head).to_be_visible(timeout=60_000)
    expect(page.get_by_label("Batter", exact=True)).to_have_value("double-coated")
    page.keyboard.press("7")
    expect(page.get_by_text("To bring:")).to_be_visible()
    expect(page.get_by_text(re.compile("double ply, coated")).first).to_be_visible()


def test_keys_pressed_while_a_page_is_still_coming_are_not_lost(page: Page, planned: int) -> None:
    held: list[Route] = []

    def hold(route: Route) -> None:
        held.append(route)

    page.route("**/static/player.js", hold)
    page.goto(f"/sessions/{planned}/plan?sel=tom-1", wait_until="commit")
    expect(page.get_by_text(re.compile(r"^Plan 1 "))).to_be_visible()
    page.keyboard.press("a")
    page.wait_for_timeout(300)
    expect(page.get_by_text(re.compile(r"^Plan 1 "))).to_be_visible()
    held[0].continue_()
    expect(page.get_by_text("Nothing changed: the drums have")).to_be_visible(timeout=60_000)


def test_another_way_is_taken_with_one_press(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan?sel=tom-1")
    ways = page.locator(".other-way")
    if ways.count() == 0:
        page.get_by_label("Struck with").select_option(label="stick, heavy, wood tip")
        expect(page.locator(".other-way").first).to_be_visible(timeout=60_000)
    before = page.locator(".subtitle-line").inner_text()
    page.get_by_role("button", name="Use this").first.click()
    expect(page.locator(".subtitle-line")).not_to_have_text(before, timeout=60_000)


def test_ways_are_compared_and_one_is_taken_by_keys_and_labels(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan?sel=kick")
    page.keyboard.press("c")
    expect(page.get_by_role("heading", name="Alternatives for the whole kit")).to_be_visible()
    expect(page.get_by_role("heading", name=re.compile("best.*and least work"))).to_be_visible()
    page.get_by_role("link", name="closest").click()
    expect(page.get_by_role("heading", name=re.compile("least work.*and closest"))).to_be_visible()
    expect(page).to_have_url(re.compile("right=closest"))
    page.get_by_role("button", name="Use least work").click()
    expect(page.get_by_role("heading", name="Kick 22")).to_be_visible()
    expect(page.get_by_text(re.compile("Plan 2"))).to_be_visible()
    page.keyboard.press("c")
    expect(page.get_by_role("heading", name="Alternatives for the whole kit")).to_be_visible()
    page.keyboard.press("b")
    expect(page.get_by_role("heading", name="Kick 22")).to_be_visible()


def test_recipes_are_taken_along_and_brought_back(page: Page, planned: int, tmp_path: Path) -> None:
    page.goto(f"/sessions/{planned}/plan?sel=kick")
    with page.expect_download() as download:
        page.get_by_role("link", name="Export the recipes").click()
    file = tmp_path / "recipes.json"
    download.value.save_as(file)
    page.get_by_label("Import recipes from a file").set_input_files(file)
    page.get_by_role("button", name="Import", exact=True).click()
    expect(page.get_by_text("Planned by the imported recipes")).to_be_visible()


def test_voices_are_given_by_a_key(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan?sel=tom-1")
    page.keyboard.press("a")
    expect(page.get_by_text("Nothing changed: the drums have")).to_be_visible(timeout=60_000)
    expect(page.get_by_text(re.compile("plays tom 1"))).to_be_visible()


def test_what_is_typed_while_the_plan_is_on_its_way_stays(
    page: Page, planned: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    page.goto(f"/sessions/{planned}/plan?sel=tom-1")
    quick = plan_drum

    def slow(*asked: Any, **more: Any) -> DrumPlan:
        time.sleep(1.5)
        return quick(*asked, **more)

    monkeypatch.setattr(plan, "plan_drum", slow)
    page.get_by_label("Batter", exact=True).select_option(label="double ply, coated")
    page.get_by_label("Pitch Hz").focus()
    page.keyboard.type("12")
    head = page.locator("text", has_text="batter: double ply, coated")
    expect(head).to_be_visible(timeout=60_000)
    expect(page.get_by_label("Pitch Hz")).to_have_value("12")
    expect(page.get_by_label("Pitch Hz")).to_be_focused()
    page.keyboard.type("5")
    page.keyboard.press("Tab")
    expect(page.locator("text", has_text="plan 125.0")).to_be_visible(timeout=60_000)


def test_record_and_plan_are_swapped_by_a_key(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan?sel=tom-1")
    page.keyboard.press("x")
    expect(page.get_by_text("Playing record")).to_be_visible()
    expect(page.locator("html")).to_have_attribute("data-playing", re.compile(r"\d"))
    page.keyboard.press("x")
    expect(page.get_by_text("Playing plan")).to_be_visible()
    expect(page.locator("html")).to_have_attribute("data-playing", "0")


def test_bad_files_are_told_on_the_page_and_the_form_stays(page: Page, tmp_path: Path) -> None:
    session = start_session(HERE, SessionBrief("Bad files")).id
    page.goto(f"/sessions/{session}/listen")
    for name, (data, says) in bad_recordings().items():
        if name == "noise.wav":
            continue
        (tmp_path / name).write_bytes(data)
        page.locator("input[type=file]").set_input_files(tmp_path / name)
        page.get_by_role("button", name="Listen to it").click()
        expect(page.get_by_role("alert")).to_contain_text(re.compile(says))
        expect(page.get_by_text(f"{name},")).to_be_visible()
    large = tmp_path / "large.wav"
    with large.open("wb") as sparse:
        sparse.truncate(300 * 2**20)
    page.locator("input[type=file]").set_input_files(large)
    page.get_by_role("button", name="Listen to it").click()
    expect(page.get_by_role("alert")).to_contain_text("300 MB; Emblar takes up to 200 MB")
    assert listen.recording_of(HERE, session) is None


def test_an_analysis_can_be_cancelled_and_the_page_reloaded_meanwhile(
    page: Page, groove_file: Path
) -> None:
    session = start_session(HERE, SessionBrief("Cancelled")).id
    page.goto(f"/sessions/{session}/listen")
    page.locator("input[type=file]").set_input_files(groove_file)
    page.get_by_role("button", name="Listen to it").click()
    expect(page.get_by_text("Waiting for its turn")).to_be_visible()
    page.reload()
    expect(page.get_by_text("Waiting for its turn")).to_be_visible()
    page.get_by_role("button", name="Cancel").click()
    expect(page.get_by_role("heading", name="Add the record")).to_be_visible()


def test_a_wrong_drum_is_told_and_what_was_typed_stays(page: Page) -> None:
    session = start_session(HERE, SessionBrief("Typing")).id
    page.goto(f"/sessions/{session}/kit?add=tom")
    page.get_by_label("Name").fill("Big one")
    page.get_by_label("Diameter").fill("99")
    page.get_by_role("button", name="Add to the kit").click()
    expect(page.get_by_role("alert")).to_contain_text("Diameter: 99 is outside 6 to 28 in")
    expect(page.get_by_label("Name")).to_have_value("Big one")
    page.get_by_label("Diameter").fill("13")
    page.get_by_role("button", name="Add to the kit").click()
    expect(page.get_by_role("heading", name="Big one")).to_be_visible()


def test_help_lists_the_keys_of_the_screen(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=kick")
    page.keyboard.press("?")
    help_box = page.get_by_role("dialog", name="Keys on this screen")
    expect(help_box).to_contain_text("Next stroke")
    expect(help_box).to_contain_text("Drum before, next drum")
    help_box.get_by_role("button", name="Close").click()
    expect(help_box).not_to_be_visible()


def test_a_sheet_downloads(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/sheet")
    with page.expect_download() as waiting:
        page.get_by_role("link", name="CSV").click()
    assert waiting.value.suggested_filename == "low-ferry-sheet.csv"


def test_a_stroke_moved_to_another_lane_changes_the_card(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=tom-1")
    expect(page.get_by_text(re.compile(r"^3 strokes"))).to_be_visible()
    page.keyboard.press("j")
    expect(page.locator("[data-stroke-says]")).to_contain_text("tom 1 at")
    page.keyboard.press("ArrowUp")
    expect(page.get_by_text(re.compile("moved from tom 1 to snare"))).to_be_visible(timeout=60_000)
    expect(page.get_by_role("link", name="tom 1, 2 strokes")).to_be_visible()
    page.keyboard.press("u")
    expect(page.get_by_role("link", name="tom 1, 3 strokes")).to_be_visible(timeout=60_000)


def test_a_stroke_is_dragged_to_another_lane(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=tom-1")
    stroke = page.locator('[data-hit][data-voice="tom-1"]').first
    box, lane = stroke.bounding_box(), page.locator(".lane-label", has_text="kick").bounding_box()
    assert box is not None
    assert lane is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + 2, lane["y"] + lane["height"] / 2, steps=4)
    page.mouse.up()
    expect(page.get_by_text(re.compile("moved from tom 1 to kick"))).to_be_visible(timeout=60_000)


def test_a_recording_can_be_brought_while_another_is_analysed(
    page: Page, worker: None, groove_file: Path
) -> None:
    first, second = (
        start_session(HERE, SessionBrief("First")).id,
        start_session(HERE, SessionBrief("Second")).id,
    )
    for session in (first, second):
        page.goto(f"/sessions/{session}/listen")
        page.locator("input[type=file]").set_input_files(groove_file)
        page.get_by_role("button", name="Listen to it").click()
        expect(page.get_by_role("heading", name="Listening")).to_be_visible()
    for session in (first, second):
        page.goto(f"/sessions/{session}/listen")
        heading = page.get_by_role("heading", name="on the record")
        expect(heading).to_be_visible(timeout=60_000)


def test_a_window_is_looped_and_named(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=kick&start=0.2&stop=1.8")
    expect(page.locator("canvas[data-drawn]")).to_be_visible()
    root = page.locator("html")
    page.keyboard.press("o")
    expect(page.get_by_role("button", name="loop")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("w")
    expect(root).to_have_attribute("data-playing", re.compile(r"\d"))
    page.wait_for_timeout(2200)
    assert page.evaluate(LOOPING)
    expect(root).to_have_attribute("data-playing", re.compile(r"\d"))
    page.keyboard.press("s")
    expect(root).not_to_have_attribute("data-playing", re.compile(r"\d"))

    page.get_by_text("Name this window").click()
    page.get_by_label("Name", exact=True).fill("alone")
    page.get_by_label("Measure drums here only").check()
    page.get_by_role("button", name="Save").first.click()
    expect(page.get_by_role("link", name="alone, 0:00 to 0:02")).to_be_visible(timeout=60_000)
    expect(page.locator(".subtitle-line")).to_contain_text("clean enough")
    page.get_by_role("button", name="Remove alone").click()
    expect(page.get_by_role("link", name="alone, 0:00 to 0:02")).to_have_count(0, timeout=60_000)


def test_evidence_is_added_shown_and_taken_back(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/listen?sel=tom-1")
    before = page.locator(".card-table .record").first.inner_text()
    hz = float(before.split()[0])
    page.get_by_text("Add a value").click()
    page.get_by_label("Quantity").select_option("pitch")
    page.get_by_label("Value", exact=True).fill(f"{hz * 1.002:.2f}")
    page.get_by_label("Who or what says so").fill("tuning note")
    page.get_by_label("How sure").first.select_option("sure")
    page.get_by_role("button", name="Add to the measurement").click()
    expect(page.get_by_text("weighed with tuning note")).to_be_visible()
    page.get_by_role("button", name=re.compile("Remove: pitch")).click()
    expect(page.get_by_text("Evidence removed.")).to_be_visible()
    expect(page.locator(".card-table .record").first).to_have_text(before)
    page.keyboard.press("u")
    expect(page.get_by_text("weighed with tuning note")).to_be_visible()


def test_a_second_file_of_the_record_is_brought_beside_the_first(
    page: Page, planned: int, worker: None, groove_file: Path, tmp_path: Path
) -> None:
    louder = tmp_path / "stem.flac"
    louder.write_bytes(encoded(0.7 * short_groove(), "FLAC"))
    page.goto(f"/sessions/{planned}/listen")
    page.get_by_text("Add a file").click()
    page.locator("input[type=file]").set_input_files(louder)
    page.get_by_text("drums only", exact=True).first.click()
    page.get_by_role("button", name="Listen to it").click()
    expect(page.get_by_role("heading", name="Files of this record")).to_be_visible(timeout=60_000)
    expect(page.get_by_text("stem.flac").first).to_be_visible()
    page.get_by_role("button", name="Remove stem.flac").click()
    expect(page.get_by_text("File removed.")).to_be_visible()
    page.keyboard.press("u")
    expect(page.get_by_role("heading", name="Files of this record")).to_be_visible()


def test_what_lies_loose_is_put_on_the_shelf_and_taken_off_again(page: Page, planned: int) -> None:
    page.goto("/")
    page.keyboard.press("2")
    expect(page.get_by_role("heading", name="Shelf", exact=True)).to_be_visible()
    page.get_by_label("Head", exact=True).select_option(label="double ply, coated")
    page.get_by_label("Diameter in").fill("12")
    page.get_by_label("Diameter in").press("Enter")
    expect(page.get_by_text("1 × double ply, coated")).to_be_visible()
    dampers = page.get_by_role("region", name="Dampers of your own")
    dampers.get_by_label("Name").fill("Old wallet")
    page.get_by_label("Takes N s/m").fill("1,8")
    page.get_by_role("button", name="Add the damper").click()
    expect(page.get_by_text("Old wallet")).to_be_visible()
    page.goto(f"/sessions/{planned}/plan?sel=tom-1")
    page.get_by_label("Muffling").select_option(label="Old wallet")
    expect(page.get_by_text("Old wallet: ").first).to_be_visible(timeout=60_000)
    page.goto("/shelf")
    page.get_by_role("button", name="Remove: 1 × double ply, coated").click()
    expect(page.get_by_text("1 × double ply, coated")).not_to_be_visible()
    page.keyboard.press("u")
    expect(page.get_by_text("1 × double ply, coated")).to_be_visible()


def test_a_head_of_ones_own_is_added_and_chosen(page: Page, planned: int) -> None:
    page.goto("/shelf")
    own = page.get_by_role("region", name="Heads of your own")
    own.get_by_label("Name").fill("Twin haze")
    own.get_by_label("Plies").fill("7.5 + 5")
    for tick in ("tom", "batter", "coated"):
        own.get_by_label(tick, exact=True).check()
    own.get_by_role("button", name="Add the head").click()
    expect(own.get_by_text("7.5 + 5 mil, coated")).to_be_visible()
    page.goto(f"/sessions/{planned}/plan?sel=tom-1")
    page.get_by_label("Batter", exact=True).select_option(label="Twin haze")
    expect(page.get_by_text("batter: Twin haze")).to_be_visible()
