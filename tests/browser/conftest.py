"""A real browser on a real server: web and worker as in production, an empty database."""

import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
import uvicorn
from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

from emblar.app import create_app
from emblar.platform.postgres import free_port
from tests.browser.microphone import HEARS_CLIPS

# A machine that is busy with something else is slow, not wrong.
expect.set_options(timeout=20_000)
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--autoplay-policy=no-user-gesture-required",
    "--use-fake-ui-for-media-stream",
    "--use-fake-device-for-media-stream",
]


FOLDS = [
    "bench-more",
    "brief-more",
    "kit-acts",
    "kit-drum",
    "listen-card",
    "listen-more",
    "plan-hand",
    "start-empty",
    "plan-more",
    "plan-reasons",
    "match-curves",
    "match-journey",
    "match-more",
    "match-moves",
    "match-notes",
    "evening-table",
]


@pytest.fixture(scope="module")
def playwright() -> Iterator[Playwright]:
    with sync_playwright() as found:
        yield found


@pytest.fixture(scope="module")
def browser(playwright: Playwright) -> Iterator[Browser]:
    found = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
    yield found
    found.close()


@contextmanager
def served() -> Iterator[str]:
    """Have the application answer, as it is made now; yield where."""
    port = free_port()
    server = uvicorn.Server(
        uvicorn.Config(create_app(), host="127.0.0.1", port=port, log_level="error", ws="none")
    )
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join()


@pytest.fixture
def address(database: None) -> Iterator[str]:
    with served() as found:
        yield found


@pytest.fixture
def worker(database: None) -> Iterator[None]:
    process = subprocess.Popen(
        [sys.executable, "-m", "emblar.service.worker"], env=dict(os.environ)
    )
    yield
    process.terminate()
    process.wait(60)


@pytest.fixture
def page(browser: Browser, address: str) -> Iterator[Page]:
    """A page of an own context, all of it unfolded; an error in its console fails the test."""
    context = browser.new_context(
        base_url=address,
        viewport={"width": 1280, "height": 800},
        accept_downloads=True,
        permissions=["microphone"],
    )
    context.add_init_script(HEARS_CLIPS)
    context.add_cookies([{"name": "folds", "value": ".".join(FOLDS), "url": address}])
    found = context.new_page()
    errors: list[str] = []
    found.on("pageerror", lambda error: errors.append(str(error)))
    found.on(
        "console",
        lambda line: errors.append(line.text) if "Content Security Policy" in line.text else None,
    )
    yield found
    context.close()
    assert errors == []
