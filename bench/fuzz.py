"""Hostile and random requests: ``python -m bench.fuzz [--requests N] [--seed N]``.

Every route of a running Emblar with what schemathesis makes of its OpenAPI schema: right in form
and wrong, with ids that are there and ids that are not. Printed: how many requests, their answers
by class, the slowest, the most memory. It fails with 1 where an answer is 5xx, comes after
``LONGEST_S``, or a process of Emblar takes more than ``MOST_BYTES``.
"""

import argparse
import contextlib
import random
import shutil
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import httpx2 as httpx
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import seed as seeded
from hypothesis.errors import Unsatisfiable
from schemathesis import APIOperation, Case

from bench.faults import Served

LONGEST_S = 10.0
MOST_BYTES = 2**30
ROUND = 8
REAL_IDS = 6


class Fuzz:
    """One run against a served Emblar."""

    def __init__(self, served: Served, seed: int) -> None:
        self.served, self.seed = served, seed
        self.rng = random.Random(seed)
        self.answers: Counter[str] = Counter()
        self.faults: list[str] = []
        self.slowest, self.slowest_at = 0.0, ""
        self.most_bytes = 0
        self.web = httpx.Client(base_url=served.url, timeout=60.0)

    @property
    def count(self) -> int:
        """How many requests were made."""
        return self.answers.total()

    def operation(self, operation: APIOperation) -> None:
        """Ask one route a few times."""
        strategy = operation.as_strategy(
            generation_mode=self.rng.choice(
                (schemathesis.GenerationMode.POSITIVE, schemathesis.GenerationMode.NEGATIVE)
            )
        )

        @seeded(self.rng.randrange(2**32))
        @settings(
            max_examples=ROUND,
            deadline=None,
            database=None,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(case=strategy)
        def ask(case: Case) -> None:
            self._ask(case)

        # A route that takes nothing has nothing wrong to be sent.
        with contextlib.suppress(Unsatisfiable):
            ask()

    def _ask(self, case: Case) -> None:
        # What is asked of things that are there gets further than what is refused at the door.
        for name in case.path_parameters:
            if name.endswith("_id") and self.rng.random() < 0.85:
                real = 1 if name == "session_id" else self.rng.randint(1, REAL_IDS)
                case.path_parameters[name] = real
        known = f"{case.method} {case.formatted_path}"
        began = time.monotonic()
        try:
            answer = case.call(base_url=self.served.url, timeout=60.0)
        except (OSError, ValueError, UnicodeError) as error:
            # Requests that no client can send are none of ours.
            self.answers[f"not sent: {type(error).__name__}"] += 1
            return
        took = time.monotonic() - began
        self.answers[f"{answer.status_code // 100}xx"] += 1
        if took > self.slowest:
            self.slowest, self.slowest_at = took, known
        if answer.status_code >= 500 or took > LONGEST_S:
            self.faults.append(f"{answer.status_code} after {took:.1f} s: {case.as_curl_command()}")
        if answer.status_code < 400 and case.method == "POST" and "delete" in case.formatted_path:
            self.web.post("/sessions/1/restore")

    def look(self) -> None:
        """Note the most memory that a process of Emblar has had."""
        for pid in children(self.served.process.pid if self.served.process else 0):
            for row in (Path("/proc") / str(pid) / "status").read_text().splitlines():
                if row.startswith("VmHWM:"):
                    self.most_bytes = max(self.most_bytes, 1024 * int(row.split()[1]))


def children(root: int) -> list[int]:
    """Return a process with all it started, PostgreSQL's shared memory left out."""
    result = [root]
    for task in (Path("/proc") / str(root) / "task").iterdir():
        for child in map(int, (task / "children").read_text().split()):
            if b"postgres" not in (Path("/proc") / str(child) / "cmdline").read_bytes():
                result += children(child)
    return result


def run(requests: int, seed: int) -> int:
    """Ask until there were enough requests; return 1 if something is at fault."""
    home = Path(tempfile.mkdtemp(prefix="emblar-fuzz-"))
    home.chmod(0o755)
    served = Served(home)
    try:
        served.start("--demo")
        fuzz = Fuzz(served, seed)
        schema = schemathesis.openapi.from_url(f"{served.url}/openapi.json")
        operations = [result.ok() for result in schema.get_all_operations()]
        began = time.monotonic()
        while fuzz.count < requests:
            fuzz.rng.shuffle(operations)
            for operation in operations:
                if fuzz.count >= requests:
                    break
                fuzz.operation(operation)
                fuzz.look()
        took = time.monotonic() - began
        served.stop()
    finally:
        if served.process is not None and served.process.poll() is None:
            served.process.kill()
        shutil.rmtree(home, ignore_errors=True)
    for fault in sorted(set(fuzz.faults))[:40]:
        print(f"   {fault[:600]}")
    answers = ", ".join(f"{n} {kind}" for kind, n in sorted(fuzz.answers.items()))
    print(
        f"{fuzz.count} requests to {len(operations)} routes in {took:.0f} s (seed {seed}): "
        f"{answers}. Slowest {fuzz.slowest:.1f} s ({fuzz.slowest_at[:80]}), most memory of a "
        f"process {fuzz.most_bytes / 2**20:.0f} MB, {len(fuzz.faults)} at fault"
    )
    return int(bool(fuzz.faults) or fuzz.most_bytes > MOST_BYTES)


def main() -> None:
    """Run it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--requests", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    arguments = parser.parse_args()
    sys.exit(run(arguments.requests, arguments.seed))


if __name__ == "__main__":
    main()
