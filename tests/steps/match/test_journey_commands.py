"""``emblar journey``, ``pads`` and ``round``."""

from pathlib import Path
from typing import Any

import pytest

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.errors import InputError
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.kit.actions.drums import kit
from emblar.steps.match.actions.comparison import note_change
from tests.core.matching.test_round import DRUMS, played
from tests.steps.match.test_comparison import a_take, drum_of, taken
from tests.steps.match.test_pads import crash, photo


def test_a_note_and_a_picture_are_kept_with_a_take(planned: int, told: Any, tmp_path: Path) -> None:
    drum = kit(HERE, planned)[0]
    taken(planned, drum, a_take(planned, drum))
    file = tmp_path / "drum.jpg"
    file.write_bytes(photo())
    found = told("journey", planned, 1, "--take", 1, "--note", "warm", "--picture", file)
    assert found["schema"] == "emblar.journey/1"
    (row,) = found["takes"]
    assert (row["note"], row["picture"], row["number"]) == ("warm", True, 1)
    assert row["steps_off"] >= 0.0
    with pytest.raises(InputError, match="1 to 1"):
        told("journey", planned, 1, "--take", 2, "--note", "x")
    with pytest.raises(InputError, match="3 drums"):
        told("journey", planned, 4)


def test_the_way_from_a_take_to_another_is_told_and_kept(planned: int, told: Any) -> None:
    drum = drum_of(planned, "tom")
    number = [row.id for row in kit(HERE, planned)].index(drum.id) + 1
    taken(planned, drum, a_take(planned, drum))
    note_change(HERE, planned, drum.id, "damper", "gel-pad")
    taken(planned, drum, a_take(planned, drum, seed=2))
    way = told("way", planned, number, 2, "--from", 1)
    assert (way["schema"], way["put_on"], way["minutes"]) == ("emblar.way/1", ["gel-pad"], 1.0)
    assert told("way", planned, number, 1, "--gone")["take_off"] == ["gel-pad"]
    assert told("way", planned, number, 1)["take_off"] == []
    with pytest.raises(InputError, match="Choose one of the takes 1, 2"):
        told("way", planned, number, 3)
    with pytest.raises(InputError, match="Leave --from out"):
        told("way", planned, number, 2, "--from", 1, "--gone")


def test_pads_are_added_taken_and_removed(planned: int, told: Any, tmp_path: Path) -> None:
    (pad,) = told("pads", planned, "--add", "Stack", "--part", "hat")["pads"]
    assert (pad["name"], pad["part"], pad["takes"], pad["newest"]) == ("Stack", "hat", 0, None)
    sound = tmp_path / "crash.wav"
    sound.write_bytes(crash())
    (pad,) = told("pads", planned, "--pad", pad["id"], "--take", sound)["pads"]
    assert pad["takes"] == 1
    assert told("pads", planned, "--pad", pad["id"], "--remove")["pads"] == []
    with pytest.raises(InputError, match="which pad"):
        told("pads", planned, "--remove")


def test_a_round_names_the_drum_that_stands_out(told: Any, tmp_path: Path) -> None:
    sound = tmp_path / "round.wav"
    sound.write_bytes(wav_bytes(played([0.0, -8.0, 0.0]), ANALYSIS_RATE_HZ))
    names = [word for name in DRUMS for word in ("--drum", name, "--tom", name)]
    found = told("round", sound, *names)
    assert found["schema"] == "emblar.round/1"
    assert [row["heard"] for row in found["drums"]] == [False, True, False]
    with pytest.raises(InputError, match="not among"):
        told("round", sound, "--drum", "a", "--drum", "b", "--tom", "c")
    with pytest.raises(InputError, match="two drums"):
        told("round", sound, "--drum", "a")
