"""Queries that many threads ask for the first time at once, as after a start amid work."""

import subprocess
import sys

ASK = """
import importlib, sys, threading
from sqlalchemy import select
from sqlalchemy.dialects import postgresql
from emblar.steps.kit.queries import drums

sys.setswitchinterval(1e-6)
failed = []

def ask(together):
    together.wait()
    try:
        str(drums.with_heads(select(*drums.dressed())).compile(dialect=postgresql.dialect()))
    except Exception as error:
        failed.append(error)

for _ in range(40):
    importlib.reload(drums)
    together = threading.Barrier(6)
    threads = [threading.Thread(target=ask, args=(together,)) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
print(len(failed))
"""


def test_drums_with_their_heads_are_asked_for_by_many_at_once_after_a_start() -> None:
    done = subprocess.run(
        [sys.executable, "-W", "ignore", "-c", ASK], capture_output=True, text=True, check=True
    )
    assert done.stdout.strip() == "0"
