"""What commands on the database print, as JSON."""

import json
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from emblar.main import app
from emblar.platform.settings import settings


@pytest.fixture
def told(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Any:
    monkeypatch.setenv("EMBLAR_HOME", str(tmp_path))
    settings.cache_clear()

    def run(*arguments: object) -> Any:
        done = CliRunner().invoke(app, [str(a) for a in arguments])
        if done.exception is not None and not isinstance(done.exception, SystemExit):
            raise done.exception
        return json.loads(done.stdout)

    return run
