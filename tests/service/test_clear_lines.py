"""What cannot work ends with one clear line, never with a traceback."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text

from emblar.core.errors import InputError, ServiceError
from emblar.platform.migrate import migrate
from emblar.platform.settings import settings
from tests.briefs import brief


@pytest.mark.parametrize(
    ("name", "value"),
    [("EMBLAR_PORT", "99999"), ("EMBLAR_PORT", "abc"), ("EMBLAR_NOW", "garbage")],
)
def test_a_setting_that_cannot_be_is_named(
    monkeypatch: pytest.MonkeyPatch, name: str, value: str
) -> None:
    monkeypatch.setenv(name, value)
    settings.cache_clear()
    try:
        with pytest.raises(InputError, match=f"{name} cannot be “{value}”"):
            settings()
    finally:
        monkeypatch.undo()
        settings.cache_clear()


def test_a_database_of_a_newer_emblar_is_left_alone(database: None) -> None:
    engine = create_engine(settings().database_url)
    with engine.begin() as there:
        before = there.execute(text("select version_num from alembic_version")).scalar_one()
        there.execute(text("update alembic_version set version_num = '9999'"))
    try:
        with pytest.raises(ServiceError, match="made by a newer Emblar"):
            migrate(engine)
    finally:
        with engine.begin() as there:
            there.execute(text("update alembic_version set version_num = :was"), {"was": before})
        engine.dispose()


@pytest.mark.parametrize("value", [1e-320, 1e308])
def test_a_brief_with_a_number_that_cannot_be_is_refused_in_a_line(
    tmp_path: Path, value: float
) -> None:
    asked = brief()
    asked["record"]["tom-1"]["pitch"] = {"value": value, "sd": value, "unit": "Hz"}
    file = tmp_path / "brief.json"
    file.write_text(json.dumps(asked), encoding="utf-8")
    done = subprocess.run(
        [sys.executable, "-m", "emblar.main", "plan", str(file)],
        capture_output=True,
        text=True,
        check=False,
        env=dict(os.environ),
    )
    assert "Traceback" not in done.stderr
    assert done.returncode == 2
    assert done.stderr.startswith("emblar: ")
