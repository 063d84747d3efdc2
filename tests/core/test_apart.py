import subprocess
import sys

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
