"""``emblar compare`` and ``emblar moves``."""

import json
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from emblar.core.errors import InputError
from emblar.main import app
from emblar.platform.sound.encode import wav_bytes
from tests.core.matching.test_matching import RATE, SETUP, SNARE, strokes, target


def run(*args: object) -> str:
    result = CliRunner().invoke(app, [str(a) for a in args], catch_exceptions=False)
    assert result.exit_code == 0, result.output
    return result.output


@pytest.fixture
def sounds(tmp_path: Path) -> tuple[Path, Path]:
    paths = tmp_path / "record.wav", tmp_path / "take.wav"
    paths[0].write_bytes(wav_bytes(strokes(), RATE))
    paths[1].write_bytes(wav_bytes(strokes(seed=5), RATE))
    return paths


def test_compare_prints_every_quantity_in_steps(sounds: tuple[Path, Path]) -> None:
    found = json.loads(run("compare", *sounds, "--voice", "snare"))
    assert found["schema"] == "emblar.comparison/1"
    pitch = found["quantities"]["pitch"]
    assert abs(pitch["steps"]) < 0.5
    assert pitch["unit"] == "Hz"
    assert set(found["quantities"]) | set(found["untold"]) >= {"attack", "click", "ring"}


def test_moves_are_ranked_for_a_drum_and_a_record(
    tmp_path: Path, sounds: tuple[Path, Path]
) -> None:
    wanted: dict[str, dict[str, Any]] = {
        n: {"value": q.value, "sd": q.sd, "unit": q.unit}
        for n, q in target(strokes()).values.items()
    }
    wanted["pitch"]["value"] *= 1.06
    asked = {
        "schema": "emblar.moves/1",
        "voice": "snare",
        "target": wanted,
        "batter_hz": SETUP.batter_hz,
        "reso_hz": SETUP.reso_hz,
        "striker": SETUP.striker,
        "drum": {
            "name": "S",
            "kind": "snare",
            "diameter_in": 14,
            "depth_in": 5.5,
            "rods": 10,
            "batter": SNARE.batter,
            "reso": SNARE.reso,
        },
    }
    file, analysis = tmp_path / "moves.json", tmp_path / "take.json"
    file.write_text(json.dumps(asked), encoding="utf-8")
    run("analyse", sounds[1], "--kind", "drums", "--voice", "snare", "--json", analysis)
    found = json.loads(run("moves", file, analysis))
    assert found["moves"][0]["kind"] == "turn"
    assert found["moves"][0]["effect"]["pitch"] > 1.0
    turn = found["moves"][0]
    seen = {"pitch": {"steps": 0.5 * turn["effect"]["pitch"], "sd_steps": 0.2}}
    asked["tried"] = [{"kind": "turn", "effect": turn["effect"], "seen": seen}]
    file.write_text(json.dumps(asked), encoding="utf-8")
    again = next(
        m
        for m in json.loads(run("moves", file, analysis))["moves"]
        if m["what"].split()[0] == turn["what"].split()[0]
    )
    assert (turn["tried"], again["tried"]) == (0, 1)


def test_a_voice_that_is_not_there_is_named(sounds: tuple[Path, Path]) -> None:
    with pytest.raises(InputError, match="tells nothing of “kick”"):
        CliRunner().invoke(
            app,
            ["compare", str(sounds[0]), str(sounds[1]), "--voice", "kick"],
            catch_exceptions=False,
        )
