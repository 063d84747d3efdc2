"""``emblar taps`` and ``emblar next-turns``."""

import json
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from emblar.core.errors import EmblarError, InputError
from emblar.main import app
from emblar.platform.sound.encode import wav_bytes
from tests.core.tuning.test_hum import RATE, struck, with_hum
from tests.core.tuning.test_wires import tap

DRUM = {
    "schema": "emblar.drum/1",
    "kind": "tom",
    "diameter_in": 12,
    "depth_in": 8,
    "rods": 6,
    "batter": {"plies_mil": [7, 7], "coated": True, "lug_hz": 150.0},
    "reso": {"plies_mil": [10], "lug_hz": 160.0},
}


def run(*args: object) -> str:
    result = CliRunner().invoke(app, [str(a) for a in args], catch_exceptions=False)
    assert result.exit_code == 0, result.output
    return result.output


def tuning(tmp_path: Path, steps: Sequence[Mapping[str, object]], **more: object) -> Path:
    file = tmp_path / "tuning.json"
    document = {
        "schema": "emblar.tuning/1",
        "drum": DRUM,
        "side": "batter",
        "goal_hz": 180.0,
        "order": "cross",
        "steps": steps,
        **more,
    }
    file.write_text(json.dumps(document), encoding="utf-8")
    return file


def test_a_practice_drum_is_tapped_and_read(tmp_path: Path) -> None:
    drum, clip = tmp_path / "drum.json", tmp_path / "taps.wav"
    drum.write_text(json.dumps(DRUM), encoding="utf-8")
    run("practice", drum, clip, "--strikes", "0", "--uneven", "0.05")
    found = json.loads(run("taps", clip, "--drum", drum))
    assert found["schema"] == "emblar.taps/1"
    assert len(found["taps"]) == 6
    assert all(abs(tap["hz"] / 150.0 - 1.0) < 0.08 for tap in found["taps"])


def test_next_turns_are_sixteenths_and_say_what_to_do(tmp_path: Path) -> None:
    flat = [{"measured_hz": [150.2, 149.0, None, 151.3, 150.0, 148.8]}]
    found = json.loads(run("next-turns", tuning(tmp_path, flat)))
    assert found["schema"] == "emblar.turns/1"
    assert all(t > 0.0 and (16 * t).is_integer() for t in found["turns"])
    assert not found["done"]
    assert found["says"].startswith("Rod ")
    even = [*flat, {"turned": found["turns"]}, {"measured_hz": [180.0] * 6, "sd_cents": 2.0}]
    assert json.loads(run("next-turns", tuning(tmp_path, even)))["done"]


def test_a_wrong_reading_and_turns_without_effect_are_told(tmp_path: Path) -> None:
    octave = [{"measured_hz": [150.0, 151.0, 300.0, 149.0, 150.0, 150.5]}]
    found = json.loads(run("next-turns", tuning(tmp_path, octave)))
    assert (found["why"], found["tap_again"], any(found["turns"])) == ("check reading", [3], False)
    assert "Tap rod 3 again before you turn" in found["says"]
    same: list[dict[str, list[float]]] = [{"measured_hz": [150.0] * 6}, {"turned": [0.5] * 6}] * 10
    found = json.loads(run("next-turns", tuning(tmp_path, [*same, same[0]])))
    assert (found["why"], any(found["turns"]), found["done"]) == ("no effect", False, False)
    assert "does the key slip" in found["says"]


@pytest.mark.parametrize(("goal_hz", "says"), [(700.0, "Hz or less"), (15.0, "Hz or more")])
def test_a_goal_that_is_not_safe_is_refused(tmp_path: Path, goal_hz: float, says: str) -> None:
    file = tuning(tmp_path, [{"measured_hz": [150.0] * 6}], goal_hz=goal_hz)
    with pytest.raises(InputError, match=says):
        run("next-turns", file)


@pytest.mark.parametrize(
    ("steps", "more", "says"),
    [
        ([], {}, "measure the head first"),
        ([{"measured_hz": [150.0] * 8}], {}, "step 1 has 8 rods, the drum 6"),
        ([{"measured_hz": [150.0] * 6}], {"goal_hz": 9000}, "goal_hz"),
        ([{"turned": [99.0] * 6}], {}, "turned"),
    ],
)
def test_what_is_wrong_with_a_file_is_named(
    tmp_path: Path, steps: Sequence[Mapping[str, object]], more: dict[str, object], says: str
) -> None:
    file = tuning(tmp_path, steps, **more)
    with pytest.raises(InputError, match=says):
        CliRunner().invoke(app, ["next-turns", str(file)], catch_exceptions=False)


def test_a_kit_is_listened_to(tmp_path: Path) -> None:
    clip, asked = tmp_path / "kick.wav", tmp_path / "kit.json"
    sound = with_hum(struck(), 143.0, -25.0)
    clip.write_bytes(wav_bytes(0.5 * sound / np.abs(sound).max(), RATE))
    beside = [{"name": "Rack 12", "hz": 141.0, "sd_cents": 40.0}, {"name": "Floor", "hz": 97.0}]
    kit = {"schema": "emblar.hum-asked/1", "struck": [{"hz": 62.0, "t60_s": 0.6}], "beside": beside}
    asked.write_text(json.dumps(kit), encoding="utf-8")
    rack, floor = json.loads(run("hum", clip, asked))["answers"]
    assert rack["heard"]
    assert rack["level_db"] == pytest.approx(-25.0, abs=1.5)
    assert rack["hz"] == pytest.approx(143.0, abs=0.7)
    assert not floor["heard"]


def test_wires_are_heard_by_a_soft_tap(tmp_path: Path) -> None:
    clip = tmp_path / "tap.wav"
    sound = tap("loose")
    clip.write_bytes(wav_bytes(0.5 * sound / np.abs(sound).max(), RATE))
    told = json.loads(run("wires", clip, "--planned", "medium"))
    assert told["schema"] == "emblar.wires/1"
    assert told["setting"] == "loose"
    assert "tighter" in told["says"]
    with pytest.raises(EmblarError, match="setting of the wires"):
        run("wires", clip, "--planned", "floppy")
