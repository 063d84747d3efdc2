import json
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile

from emblar.core.notes import cents
from emblar.core.synthesis.low_ferry import low_ferry_voices
from emblar.core.synthesis.stroke import render_stroke
from emblar.main import main
from tests.briefs import brief
from tests.formats.test_formats import TOM
from tests.recordings import RATE, bad_recordings, encoded


def emblar(*arguments: str) -> subprocess.CompletedProcess[str]:
    # No database is reachable from here: these commands must not want one.
    return subprocess.run(
        [sys.executable, "-m", "emblar.main", *arguments],
        capture_output=True,
        text=True,
        env={"PATH": "/usr/bin", "EMBLAR_DATABASE_URL": "postgresql://nobody@127.0.0.1:1/none"},
        check=False,
    )


Refused = Callable[..., str]


@pytest.fixture
def refused(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> Refused:
    """Run a command in this process, which is to end with code 2; return its standard error."""

    def run(*arguments: str) -> str:
        monkeypatch.setattr(sys, "argv", ["emblar", *arguments])
        with pytest.raises(SystemExit) as ended:
            main()
        assert ended.value.code == 2
        return capsys.readouterr().err

    return run


def test_analyse_writes_the_analysis(tmp_path: Path) -> None:
    voice = low_ferry_voices()["tom-1"]
    rng = np.random.default_rng(0)
    stroke = render_stroke(voice, sample_rate_hz=RATE, force=1.0, rng=rng)
    file, out = tmp_path / "hit.flac", tmp_path / "hit.json"
    file.write_bytes(encoded(0.5 * stroke, "FLAC"))
    done = emblar("analyse", str(file), "--kind", "hit", "--voice", "tom-1", "--json", str(out))
    assert done.returncode == 0, done.stderr
    found = json.loads(out.read_text())
    assert found["schema"] == "emblar.analysis/1"
    assert found["source"]["sample_rate_hz"] == RATE
    (measured,) = found["voices"]
    assert abs(cents(measured["fundamental_hz"], voice.settled_hz())) < 15
    assert set(found["hits"][0]) == {"time_s", "voice", "level_db", "confidence", "clean", "manner"}


@pytest.mark.parametrize("name", list(bad_recordings()))
def test_a_bad_recording_ends_with_one_line_and_code_2(
    tmp_path: Path, refused: Refused, name: str
) -> None:
    data, says = bad_recordings()[name]
    file, out = tmp_path / name, tmp_path / "out.json"
    file.write_bytes(data)
    said = refused("analyse", str(file), "--json", str(out))
    assert said.count("\n") == 1
    assert any(part in said for part in says.split("|"))
    assert not out.exists(), "nothing half-saved"


def test_300_mb_are_refused_without_reading_them(tmp_path: Path) -> None:
    file = tmp_path / "large.wav"
    with file.open("wb") as sparse:
        sparse.truncate(300 * 2**20)
    done = emblar("analyse", str(file))
    assert done.returncode == 2
    assert "300 MB; Emblar takes up to 200 MB" in done.stderr


def test_a_missing_file_and_an_unknown_voice_are_said(tmp_path: Path, refused: Refused) -> None:
    assert "cannot be read" in refused("analyse", str(tmp_path / "none.wav"))
    assert "no voice" in refused("analyse", "x.wav", "--voice", "cowbell")


def test_predict_prints_the_prediction(tmp_path: Path) -> None:
    file = tmp_path / "tom.json"
    file.write_text(json.dumps(TOM))
    done = emblar("predict", str(file))
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["schema"] == "emblar.prediction/1"


def test_predict_names_what_cannot_be(tmp_path: Path) -> None:
    file = tmp_path / "tom.json"
    file.write_text(json.dumps(TOM | {"wish": {"drum_pitch_hz": 590.0}}))
    done = emblar("predict", str(file))
    assert any(x["severity"] == "stop" for x in json.loads(done.stdout)["limits"])


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (json.dumps(TOM | {"rods": 2}), "rods: 2 is outside 4 to 20"),
        ("not json", "Invalid JSON"),
    ],
)
def test_predict_names_what_is_wrong(
    tmp_path: Path, refused: Refused, text: str, says: str
) -> None:
    file = tmp_path / "tom.json"
    file.write_text(text)
    assert says in refused("predict", str(file))


def test_render_writes_a_sound_that_lasts_and_ends_in_silence(tmp_path: Path) -> None:
    file, out = tmp_path / "tom.json", tmp_path / "tom.flac"
    file.write_text(json.dumps(TOM))
    for way, least in (("stroke", 1.0), ("ramp", 4.0), ("groove", 3.0)):
        done = emblar("render", str(file), str(out), "--stroke", way)
        assert done.returncode == 0, done.stderr
        samples, rate = soundfile.read(out)
        assert len(samples) / rate > least
        assert 0.1 < abs(samples).max() <= 1.0


def test_practice_taps_every_rod_and_strikes(tmp_path: Path) -> None:
    file, out = tmp_path / "tom.json", tmp_path / "round.wav"
    file.write_text(json.dumps(TOM))
    done = emblar("practice", str(file), str(out), "--strikes", "2", "--side", "reso")
    assert done.returncode == 0, done.stderr
    samples, rate = soundfile.read(out)
    assert len(samples) / rate == pytest.approx(6 * 1.2 + 2 * 2.5, abs=0.01)
    first = out.read_bytes()
    emblar("practice", str(file), str(out), "--strikes", "2", "--side", "reso")
    assert out.read_bytes() == first


@pytest.mark.parametrize(
    ("command", "says"),
    [
        (("render", "{drum}", "{folder}/x.mp3"), "ending in .wav or .flac"),
        (("render", "{drum}", "{folder}/x.wav", "--force", "9"), "force: 9 is outside 0 to 4"),
        (("render", "{drum}", "{folder}/none/x.wav"), "cannot be written"),
        (("practice", "{drum}", "{folder}/x.wav", "--uneven", "2"), "uneven: 2 is outside 0 to"),
        (("practice", "{drum}", "{folder}/x.wav", "--strikes", "99"), "strikes: 99 is outside"),
    ],
)
def test_what_cannot_be_rendered_is_said(
    tmp_path: Path, refused: Refused, command: tuple[str, ...], says: str
) -> None:
    file = tmp_path / "tom.json"
    file.write_text(json.dumps(TOM))
    assert says in refused(*(part.format(drum=file, folder=tmp_path) for part in command))


def test_plan_writes_the_kits_plan_and_says_it(tmp_path: Path) -> None:
    file, out = tmp_path / "brief.json", tmp_path / "plan.json"
    file.write_text(json.dumps(brief()))
    done = emblar("plan", str(file), "--json", str(out))
    assert done.returncode == 0, done.stderr
    assert "least work" in done.stdout
    assert "tom-1: " in done.stdout
    written = json.loads(out.read_text())
    assert written["schema"] == "emblar.kitplan/1"
    assert written["alternatives"][0]["voices"]["kick"]["drum"] == "Kick 22"


def test_a_brief_that_cannot_be_read_is_refused(tmp_path: Path, refused: Refused) -> None:
    file = tmp_path / "brief.json"
    file.write_text(json.dumps(brief(ask={"tempo_bpm": 5})))
    assert "tempo_bpm" in refused("plan", str(file))
    assert "cannot be read" in refused("plan", str(tmp_path / "none.json"))


@pytest.mark.parametrize(
    ("quantity", "says"),
    [
        ('{"value": 0, "sd": 1, "unit": "Hz"}', "it must be above 0"),
        ('{"value": -60, "sd": 1, "unit": "Hz"}', "it must be above 0"),
        ('{"value": 60, "sd": -1, "unit": "Hz"}', "sd"),
        ('{"value": 60, "sd": NaN, "unit": "Hz"}', "sd"),
        ('{"value": Infinity, "sd": 1, "unit": "Hz"}', "value"),
    ],
)
def test_a_record_that_cannot_be_is_refused_without_a_traceback(
    tmp_path: Path, refused: Refused, quantity: str, says: str
) -> None:
    file = tmp_path / "brief.json"
    whole = json.dumps(brief(record={"kick": {"pitch": "HERE"}}))
    file.write_text(whole.replace('"HERE"', quantity))
    said = refused("plan", str(file))
    assert says in said
    assert "Traceback" not in said


@pytest.mark.parametrize("command", ["render", "practice"])
def test_a_seed_below_zero_is_refused_without_a_traceback(tmp_path: Path, command: str) -> None:
    file = tmp_path / "tom.json"
    file.write_text(json.dumps(TOM))
    done = emblar(command, str(file), str(tmp_path / "out.wav"), "--seed", "-1")
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    assert "seed" in done.stderr
