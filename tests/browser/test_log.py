"""Log by its labels: everything exported, the database emptied, everything brought in again."""

from pathlib import Path

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect
from sqlalchemy import text

from emblar.platform.database import engine
from emblar.service.year import ensure_year
from emblar.steps.sessions.queries.export import TABLES


def test_everything_leaves_in_one_file_and_comes_back(
    page: Page, planned: int, tmp_path: Path
) -> None:
    page.goto("/log")
    with page.expect_download() as loading:
        page.get_by_role("link", name="Export everything").click()
    file = tmp_path / loading.value.suggested_filename
    loading.value.save_as(file)
    with engine().begin() as connection:
        connection.execute(text(f"truncate {', '.join(TABLES)}, audio restart identity cascade"))
    page.reload()
    expect(page.get_by_text("No drums yet")).to_be_visible()
    page.get_by_text("Import", exact=True).first.click()
    assert Axe().run(page).response["violations"] == []
    page.get_by_label("Export", exact=True).set_input_files(file)
    page.get_by_role("button", name="Import").click()
    expect(page.get_by_role("status")).to_contain_text("Brought in: 1 session, 3 drums")
    expect(page.get_by_role("link", name="Rack 12")).to_be_visible()
    # The same once more is refused, and what is here stays.
    page.get_by_text("Import", exact=True).first.click()
    page.get_by_label("Export", exact=True).set_input_files(file)
    page.get_by_role("button", name="Import").click()
    expect(page.get_by_text("is here already")).to_be_visible()
    page.goto(f"/sessions/{planned}/plan")
    expect(page.get_by_role("heading", level=1)).to_be_visible()


def test_a_year_of_log_teaches(page: Page, database: None) -> None:
    ensure_year(lambda _: None)
    page.goto("/log?q=snare")
    page.get_by_role("link", name="Snare 13 × 6").click()
    taught = page.get_by_role("list").filter(has_text="a night")
    expect(taught.get_by_text("ct a night, from").first).to_be_visible()
    expect(taught.get_by_text("newly fitted: drops")).to_be_visible()
    expect(taught.get_by_text("such heads lasted 4 ±")).to_be_visible()
    assert Axe().run(page).response["violations"] == []
