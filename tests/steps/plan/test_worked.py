"""What worked before, by style, and used again; best notes found by ear."""

import json
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from typer.testing import CliRunner

from emblar.core.errors import InputError, NotFoundError
from emblar.core.tuning.sweep import SweepPoint
from emblar.formats.bench import BenchFile
from emblar.formats.brief import AskFile
from emblar.main import app
from emblar.platform.settings import settings
from emblar.platform.studio import HERE, Studio
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.bench.actions.sweep import swept
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.actions.saved import bring_kit
from emblar.steps.log.actions.entries import drum_log
from emblar.steps.plan.actions.recipes import bring_from, worked
from emblar.steps.sessions.actions.editing import (
    SessionBrief,
    brief_of,
    change_brief,
    one_session,
    start_session,
)
from tests.steps.bench.test_actions import drum_of


@pytest.fixture
def tuned(planned: int) -> int:
    """A session in a style, its tom tuned to the last job."""
    info = one_session(HERE, planned)
    ask = AskFile.model_validate(brief_of(info).model_dump() | {"style": "Rock"})
    change_brief(HERE, planned, SessionBrief(info.name, ask=ask))
    bench.finish_job(HERE, planned, drum_of(planned, "tom").id, "listen")
    return planned


def test_only_what_was_tuned_to_its_plan_worked(tuned: int) -> None:
    rows = worked(HERE)
    assert [(r.style, r.session_id) for r in rows] == [("Rock", tuned)]
    assert [d.name for d in rows[0].recipes.drums] == ["Rack 12"]
    assert worked(Studio(2)) == []


def test_it_is_used_in_another_session(client: TestClient, tuned: int) -> None:
    second = start_session(HERE, SessionBrief("Second")).id
    bring_kit(HERE, second, f"session-{tuned}")
    page = client.get(f"/log/recipes?session={second}").text
    assert "Rock" in page
    assert "Use in this session" in page
    done = client.post(f"/sessions/{second}/plan/recipes/from", data={"other": tuned})
    assert "Planned by the imported recipes: Rack 12" in done.text
    tom = drum_of(second, "tom")
    assert tom.wish["batter"] == worked(HERE)[0].recipes.drums[0].recipe.batter
    assert "Use in this session" not in client.get("/log/recipes").text
    with pytest.raises(InputError, match="Nothing of that session"):
        bring_from(HERE, second, second)
    with pytest.raises(NotFoundError):
        bring_from(Studio(2), second, tuned)


def test_the_best_note_found_by_ear_stands_in_the_log(client: TestClient, planned: int) -> None:
    tom = drum_of(planned, "tom")

    def sweep(file: BenchFile) -> None:
        file.sweep = [
            SweepPoint(hz=hz, t60_s=2.0 - 0.0004 * (hz - 120.0) ** 2, ring_db=-12.0)
            for hz in (90.0, 98.0, 106.0, 113.0, 120.0, 127.0, 135.0, 143.0, 152.0)
        ]

    bench.change_work(HERE, planned, tom.id, sweep)
    told = swept(HERE, planned, tom.id).curve
    assert told.hz is not None
    assert drum_log(HERE, tom.drum_id).best == (("Low Ferry", told.hz),)
    page = client.get(f"/log/drums/{tom.drum_id}").text
    assert f"Best note by ear: {told.hz:.1f} Hz" in page
    other = next(d for d in kit(HERE, planned) if d.id != tom.id)
    assert drum_log(HERE, other.drum_id).best == ()


def test_the_shell_lists_them(tuned: int, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("EMBLAR_HOME", str(tmp_path))
    settings.cache_clear()
    told = json.loads(CliRunner().invoke(app, ["recipes", "--style", "rock"]).stdout)
    assert [r["session"] for r in told["styles"]["Rock"]] == ["Low Ferry"]
    none = json.loads(CliRunner().invoke(app, ["recipes", "--style", "waltz"]).stdout)
    assert none["styles"] == {}
