"""Take the pictures of docs/screenshots from a demo of their own, its clock standing still."""

import os
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
PORT = 8791
ADDRESS = f"http://127.0.0.1:{PORT}"
NOW = "2026-05-04T01:00:00+00:00"
START_S = 180.0
FLAGS = ["--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking"]
VIEWS = {
    "sessions": "/",
    "shelf": "/shelf",
    "brief": "/sessions/1/brief",
    "listen": "/sessions/1/listen?sel=tom-1",
    "kit": "/sessions/1/kit?sel=kick",
    "plan": "/sessions/1/plan?sel=tom-2",
    "ways": "/sessions/1/plan/ways?sel=tom-2&left=best&right=least+work",
    "rescue": "/sessions/1/plan/rescue?budget=80",
    "bench": "/sessions/1/bench?sel=d1",
    "hum": "/sessions/1/bench/hum?sel=d5",
    "match": "/sessions/3/match?sel=d12",
    "practice": "/practice",
    "sheet": "/sessions/1/sheet",
    "evening": "/sessions/1/evening",
    "readings": "/sessions/1/listen?sel=tom-3",
}


def _take(page: Page, path: str, name: str) -> None:
    page.goto(ADDRESS + path)
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(300)
    page.screenshot(path=FOLDER / f"{name}.png")


@contextmanager
def _demo() -> Iterator[None]:
    """Have a new demo running."""
    with tempfile.TemporaryDirectory(prefix="emblar-pictures-") as home:
        Path(home).chmod(0o755)
        env = {**os.environ, "EMBLAR_HOME": home, "EMBLAR_PORT": str(PORT), "EMBLAR_NOW": NOW}
        demo = subprocess.Popen(
            [Path(sys.executable).with_name("emblar"), "serve", "--demo"], env=env
        )
        try:
            deadline = time.monotonic() + START_S
            while time.monotonic() < deadline and not _is_up():
                time.sleep(0.5)
            yield
        finally:
            demo.send_signal(signal.SIGINT)
            demo.wait(30)


def _is_up() -> bool:
    try:
        urllib.request.urlopen(f"{ADDRESS}/health", timeout=3).close()
    except OSError:
        return False
    return True


def main() -> None:
    """Take every picture."""
    with _demo(), sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        for scheme, views in (("light", VIEWS), ("dark", {"plan-dark": VIEWS["plan"]})):
            page = browser.new_page(
                viewport={"width": 1280, "height": 800},
                color_scheme=scheme,  # type: ignore[arg-type]
            )
            for name, path in views.items():
                _take(page, path, name)
        phone = browser.new_page(viewport={"width": 390, "height": 844}, has_touch=True)
        _take(phone, VIEWS["bench"], "bench-phone")
        page.goto(f"{ADDRESS}/sessions/1/listen?sel=snare")
        page.keyboard.press("?")
        page.screenshot(path=FOLDER / "keys-dark.png")
        browser.close()


if __name__ == "__main__":
    main()
