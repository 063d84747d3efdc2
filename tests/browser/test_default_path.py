"""From a recording to the first instruction at the bench, taking what each page offers."""

import re
from base64 import b64encode
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from emblar.platform.studio import HERE
from emblar.steps.sessions.actions.editing import SessionBrief, start_session


@pytest.fixture(scope="module")
def groove_file(groove: bytes, tmp_path_factory: pytest.TempPathFactory) -> Path:
    file = tmp_path_factory.mktemp("groove") / "groove.flac"
    file.write_bytes(groove)
    return file


def start(page: Page, recording: Path) -> None:
    """Start a session with a recording and the kit that is offered."""
    page.goto("/")
    page.locator("input[type=file]").set_input_files(recording)
    found = page.get_by_text(re.compile(r"^3 drums found on the record"))
    expect(found).to_be_visible(timeout=60_000)


def plan_and_go_to_the_bench(page: Page) -> None:
    """From a matched kit to the first instruction at the bench."""
    page.get_by_role("button", name="Plan this kit").click()
    expect(page.locator(".plan-sentence")).to_be_visible(timeout=60_000)
    page.get_by_role("link", name="Tune it").click()
    expect(page.locator(".bench-big")).not_to_be_empty()


def test_a_fresh_studio_gets_from_a_recording_to_the_bench_by_what_is_offered(
    page: Page, worker: None, groove_file: Path
) -> None:
    start(page, groove_file)
    expect(page.get_by_role("heading", name="on the record")).to_be_visible()
    page.get_by_role("link", name="Choose a kit").click()
    page.get_by_role("button", name="Use new").first.click()
    expect(page.get_by_text("3 of 3 drums on the record matched")).to_be_visible()
    plan_and_go_to_the_bench(page)

    # The next session offers the kit of the last one: its drums play no part of the new record yet.
    start(page, groove_file)
    expect(page.get_by_role("heading", name="on the record")).to_be_visible()
    page.reload()
    expect(page.get_by_role("heading", name="on the record")).to_be_visible()
    page.get_by_role("button", name="Match them to your kit").click()
    expect(page.get_by_text("3 of 3 drums on the record matched")).to_be_visible()
    plan_and_go_to_the_bench(page)


@pytest.mark.usefixtures("database")
def test_an_empty_studio_teaches_and_says_what_a_new_session_needs(
    page: Page, worker: None, groove_file: Path
) -> None:
    page.goto("/")
    expect(page.get_by_role("button", name="Try the example")).to_be_visible()
    expect(page.get_by_text("heads, pitches, muffling")).to_be_visible()
    start(page, groove_file)
    checklist = page.get_by_role("list", name="Before you tune")
    expect(checklist).to_have_text("Record, doneKitDrums matchedPlan")
    checklist.get_by_role("link", name="Kit").click()
    page.get_by_role("button", name="Use new").first.click()
    expect(checklist).to_have_text("Record, doneKit, doneDrums matched, donePlan")
    page.get_by_role("button", name="Plan this kit").click()
    expect(page.locator(".plan-sentence")).to_be_visible(timeout=60_000)
    expect(checklist).to_have_count(0)


DROP = """async ([sound, name]) => {
  const bytes = Uint8Array.from(atob(sound), (letter) => letter.charCodeAt(0));
  const dataTransfer = new DataTransfer();
  dataTransfer.items.add(new File([bytes], name, { type: "audio/flac" }));
  for (const type of ["dragover", "drop"])
    document.querySelector("h1").dispatchEvent(
      new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer }),
    );
}"""


@pytest.mark.usefixtures("database")
def test_a_recording_dropped_on_any_page_starts_a_session(page: Page, groove: bytes) -> None:
    sound = b64encode(groove).decode()
    page.goto("/shelf")
    page.evaluate(DROP, [sound, "Slack Water.flac"])
    expect(page).to_have_title(re.compile("Slack Water"))
    page.goto("/")
    page.evaluate(DROP, [sound, "Tide Table.flac"])
    expect(page).to_have_title(re.compile("Tide Table"))
    # Where a page has no use for it nothing is lost.
    page.get_by_role("link", name="Sheet").click()
    page.evaluate(DROP, [sound, "Low Ferry.flac"])
    expect(page.get_by_role("alert")).to_contain_text("Low Ferry.flac cannot be used on this page")


def test_sessions_are_found_and_deleted_and_brought_back(page: Page, planned: int) -> None:
    start_session(HERE, SessionBrief(name="Tide Table"))
    page.goto("/")
    page.get_by_label("Find a session").fill("ferry")
    expect(page.get_by_role("link", name="Tide Table")).to_have_count(0)
    expect(page.get_by_role("link", name="Low Ferry")).to_be_visible()
    page.get_by_label("Find a session").fill("gale")
    expect(page.get_by_text("No session matches")).to_be_visible()
    page.get_by_role("link", name="Show all").click()
    page.get_by_label("More for Low Ferry").click()
    page.get_by_role("button", name="Delete Low Ferry").click()
    expect(page.get_by_role("link", name="Low Ferry")).to_have_count(0)
    page.keyboard.press("u")
    expect(page.get_by_role("link", name="Low Ferry")).to_be_visible()


def test_the_places_outside_a_session_are_reached_from_inside(page: Page, planned: int) -> None:
    page.goto(f"/sessions/{planned}/plan")
    page.get_by_label("All places").first.click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("link", name="Shelf")).not_to_be_visible()
    page.get_by_label("All places").first.click()
    page.get_by_role("link", name="Shelf").click()
    expect(page.locator("h1")).to_have_text("Shelf")
