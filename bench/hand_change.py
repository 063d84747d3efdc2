"""A change by hand, asked for and drawn again, as the browser asks for it."""

import os
import shutil
import tempfile
import time
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient

from emblar.app import create_app
from emblar.platform.database import engine
from emblar.platform.migrate import migrate
from emblar.platform.postgres import OwnPostgres
from emblar.platform.settings import settings
from emblar.service.demo import ensure_demo

CHANGES: tuple[dict[str, str], ...] = (
    {"relation": "equal"},
    {"batter": "double-clear"},
    {"relation": "higher"},
    {},
)
ROUNDS = 2
WANTED_MS = 200.0


def hand_changes() -> None:
    """Change every drum of the demo by hand, some ways each, and print how long answers took."""
    home = Path(tempfile.mkdtemp(prefix="emblar-bench-"))
    home.chmod(0o755)
    server = OwnPostgres(home)
    server.start()
    os.environ["EMBLAR_DATABASE_URL"] = server.url
    settings.cache_clear()
    try:
        migrate(engine())
        session = ensure_demo(lambda _: None)
        site = "http://127.0.0.1"
        with TestClient(create_app(), base_url=site, headers={"origin": site}) as client:
            took = [_changes(client, f"/sessions/{session}/plan") for _ in range(ROUNDS + 1)][1:]
        every = 1000.0 * np.concatenate(took)
        print(
            f"a change by hand, re-scored and drawn again: {np.median(every):.0f} ms, 9 of 10 "
            f"under {np.percentile(every, 90):.0f} ms, {np.mean(every < WANTED_MS):.0%} of "
            f"{len(every)} under {WANTED_MS:.0f} ms"
        )
    finally:
        engine().dispose()
        server.stop()
        shutil.rmtree(home)


def _changes(client: TestClient, plan: str) -> list[float]:
    took = []
    for drum in range(1, 6):
        for change in CHANGES:
            began = time.perf_counter()
            answer = client.post(f"{plan}/{drum}", data=change)
            took.append(time.perf_counter() - began)
            answer.raise_for_status()
    return took


if __name__ == "__main__":
    hand_changes()
