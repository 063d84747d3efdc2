"""From a recording to the first instruction at the bench, taking what each page offers."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect


@pytest.fixture(scope="module")
def groove_file(groove: bytes, tmp_path_factory: pytest.TempPathFactory) -> Path:
    file = tmp_path_factory.mktemp("groove") / "groove.flac"
    file.write_bytes(groove)
    return file


def start(page: Page, name: str, recording: Path) -> None:
    """Start a session with the kit that is offered, and analyse a recording."""
    page.goto("/")
    page.get_by_label("Song or session").fill(name)
    page.keyboard.press("Enter")
    page.locator("input[type=file]").first.set_input_files(recording)
    page.get_by_role("button", name="Listen to it").first.click()
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
    start(page, "Low Ferry", groove_file)
    expect(page.get_by_role("heading", name="on the record")).to_be_visible()
    page.get_by_role("link", name="Choose a kit").click()
    page.get_by_role("button", name="Use new").first.click()
    expect(page.get_by_text("3 of 3 drums on the record matched")).to_be_visible()
    plan_and_go_to_the_bench(page)

    # The next session offers the kit of the last one: its drums play no part of the new record yet.
    start(page, "Slack Water", groove_file)
    expect(page.get_by_role("heading", name="on the record")).to_be_visible()
    page.reload()
    expect(page.get_by_role("heading", name="on the record")).to_be_visible()
    page.get_by_role("button", name="Match them to your kit").click()
    expect(page.get_by_text("3 of 3 drums on the record matched")).to_be_visible()
    plan_and_go_to_the_bench(page)
