import os
import subprocess
import sys

import pytest

OUTSIDE = ("fastapi", "starlette", "sqlalchemy", "psycopg", "procrastinate", "jinja2", "pydantic")
WALK = """
import importlib, pkgutil, sys, emblar.core
for found in pkgutil.walk_packages(emblar.core.__path__, "emblar.core."):
    importlib.import_module(found.name)
print(" ".join(sorted({name.split(".")[0] for name in sys.modules})))
"""


def test_the_whole_core_loads_without_web_or_database() -> None:
    done = subprocess.run([sys.executable, "-c", WALK], capture_output=True, text=True, check=True)
    loaded = set(done.stdout.split())
    assert loaded.isdisjoint(OUTSIDE)
    assert "numpy" in loaded


@pytest.mark.parametrize(("given", "found"), [(None, "1"), ("2", "2")])
def test_small_problems_stay_on_one_thread_unless_told_otherwise(
    given: str | None, found: str
) -> None:
    known = {k: v for k, v in os.environ.items() if k != "OPENBLAS_NUM_THREADS"}
    told = known | ({"OPENBLAS_NUM_THREADS": given} if given else {})
    code = "import emblar, numpy, os; print(os.environ['OPENBLAS_NUM_THREADS'])"
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True, env=told
    )
    assert done.stdout.strip() == found
