"""Take the pictures of docs/screenshots from a running demo: ``make demo`` first, then this."""

import sys
import urllib.error
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
ADDRESS = "http://127.0.0.1:8000"
FLAGS = ["--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking"]
VIEWS = {
    "sessions": "/",
    "shelf": "/shelf",
    "brief": "/sessions/1/brief",
    "listen": "/sessions/1/listen?sel=tom-1",
    "kit": "/sessions/1/kit?sel=kick",
    "plan": "/sessions/1/plan?sel=tom-2",
    "ways": "/sessions/1/plan/ways?sel=tom-2&left=best&right=least+work",
    "bench": "/sessions/1/bench",
    "sheet": "/sessions/1/sheet",
}


def _take(page: Page, path: str, name: str) -> None:
    page.goto(ADDRESS + path)
    page.wait_for_timeout(700)
    page.screenshot(path=FOLDER / f"{name}.png")


def main() -> None:
    """Take every picture."""
    try:
        urllib.request.urlopen(f"{ADDRESS}/health", timeout=3).close()
    except urllib.error.URLError:
        sys.exit("Start the demo first (make demo), then take the pictures.")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        for scheme, views in (("light", VIEWS), ("dark", {"plan-dark": VIEWS["plan"]})):
            page = browser.new_page(
                viewport={"width": 1280, "height": 800},
                color_scheme=scheme,  # type: ignore[arg-type]
            )
            for name, path in views.items():
                _take(page, path, name)
        page.goto(f"{ADDRESS}/sessions/1/listen?sel=snare")
        page.keyboard.press("?")
        page.screenshot(path=FOLDER / "keys-dark.png")
        browser.close()


if __name__ == "__main__":
    main()
