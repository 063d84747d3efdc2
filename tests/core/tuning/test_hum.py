"""Hum: what is put in comes out; what is not there, or cannot be told, is said so."""

from dataclasses import replace

import numpy as np
import pytest

from emblar.core.acoustics.forward import predict
from emblar.core.errors import BadAudioError
from emblar.core.notes import cents
from emblar.core.synthesis.played import played
from emblar.core.synthesis.stroke import Partial, Voice, drum_voice
from emblar.core.tuning.hum import Answer, Beside, Ringing, expected_hum, is_loud, read_hum
from tests.drums import kick, tom

RATE = 44100
KICK = predict(kick(), 62.0, 70.0)
FLOOR = predict(tom(16.0, 15.0, rods=8), 95.0, 110.0)
RACK = predict(tom(), 190.0, 215.0)


def modes(prediction: object = KICK) -> list[Ringing]:
    return [Ringing(m.frequency_hz, m.t60_s, m.level_db) for m in prediction.modes]  # type: ignore[attr-defined]


def struck(noise_db: float = -60.0, seed: int = 3) -> np.ndarray:
    """A kick's stroke after a little quiet, in a room that is not silent."""
    sound = played(drum_voice(KICK, "kick"), "kick", "stroke", sample_rate_hz=RATE)
    out = np.concatenate([np.zeros(RATE // 5), sound])
    rng = np.random.default_rng(seed)
    level = np.sqrt((sound[: RATE // 10] ** 2).mean())
    return out + level * 10.0 ** (noise_db / 20.0) * rng.standard_normal(len(out))


def with_hum(sound: np.ndarray, hz: float, level_db: float, t60_s: float = 1.2) -> np.ndarray:
    """A stroke with a sine that is so loud 0.3 s after it."""
    time = np.arange(len(sound)) / RATE - 0.2
    first = np.sqrt((sound[RATE // 5 : RATE // 5 + RATE // 10] ** 2).mean())
    fall = np.exp(-6.908 / t60_s * (time - 0.3))
    size = np.sqrt(2.0) * first * 10.0 ** (level_db / 20.0)
    return sound + np.where(time > 0.02, size * fall * np.sin(2 * np.pi * hz * time), 0.0)


def asked(*, off_cents: float = 0.0) -> list[Beside]:
    by = 2.0 ** (off_cents / 1200.0)
    return [
        Beside("Floor 16", FLOOR.drum_pitch.value * by, 40.0),
        Beside("Rack 12", RACK.drum_pitch.value * by, 40.0),
    ]


@pytest.mark.parametrize("level_db", [-18.0, -28.0, -38.0])
@pytest.mark.parametrize("off_cents", [-55.0, 0.0, 55.0])
def test_a_hum_is_read_as_loud_as_it_is(level_db: float, off_cents: float) -> None:
    hz = RACK.drum_pitch.value
    sound = with_hum(struck(), hz, level_db)
    answers = {a.name: a for a in read_hum(sound, RATE, modes(), asked(off_cents=off_cents))}
    told = answers["Rack 12"]
    assert told.audible
    assert told.level_db == pytest.approx(level_db, abs=1.5)
    assert told.hz is not None
    assert abs(cents(told.hz, hz)) < 12.0
    assert told.t60_s == pytest.approx(1.2, rel=0.25)
    assert is_loud(told)
    assert not answers["Floor 16"].audible


def test_without_a_hum_none_is_told_in_a_hundred_strokes() -> None:
    found = [a for seed in range(100) for a in read_hum(struck(seed=seed), RATE, modes(), asked())]
    assert sum(a.audible for a in found) <= 2
    quiet = [a.level_db for a in found if a.level_db is not None and not a.audible]
    assert max(quiet) < -45.0, "and it is said under what it stays"


def test_a_louder_room_tells_less_and_says_so() -> None:
    quiet, loud = (
        read_hum(struck(noise_db=db), RATE, modes(), asked())[1] for db in (-70.0, -30.0)
    )
    assert not quiet.audible
    assert not loud.audible
    assert quiet.level_db is not None
    assert loud.level_db is not None
    assert loud.level_db > quiet.level_db + 20.0


def test_the_struck_drums_own_ring_is_no_hum() -> None:
    rack = played(drum_voice(RACK, "tom"), "tom", "stroke", sample_rate_hz=RATE)
    sound = np.concatenate([np.zeros(RATE // 5), rack])
    own = modes(RACK)
    same = Beside("Rack 13", RACK.drum_pitch.value * 1.02, 40.0)
    (told,) = read_hum(sound, RATE, own, [same])
    assert told.why_not == "its note is the struck drum's own"
    assert told.level_db is None


def test_two_drums_on_one_note_are_not_told_apart() -> None:
    hz = RACK.drum_pitch.value
    two = [Beside("A", hz * 1.01, 20.0), Beside("B", hz * 0.99, 20.0)]
    told = read_hum(with_hum(struck(), hz, -25.0), RATE, modes(), two)
    assert {a.why_not for a in told} == {"two drums share this note"}


@pytest.mark.parametrize("gain", [1e-3, 1.0])
def test_level_and_rate_do_not_matter(gain: float) -> None:
    sound = with_hum(struck(), RACK.drum_pitch.value, -25.0)

    def told(samples: np.ndarray, rate: int) -> Answer:
        return read_hum(samples, rate, modes(), asked())[1]

    full, half = told(sound, RATE), told(-gain * sound[::2], RATE // 2)
    assert half.level_db == pytest.approx(full.level_db, abs=0.7)
    assert half.hz == pytest.approx(full.hz, rel=1e-3)


@pytest.mark.parametrize("samples", [np.zeros(RATE), np.zeros(0), np.ones(3)])
def test_no_stroke_is_said(samples: np.ndarray) -> None:
    with pytest.raises(BadAudioError, match="no stroke"):
        read_hum(samples, RATE, modes(), asked())


def test_a_room_without_a_stroke_is_no_stroke() -> None:
    noise = np.random.default_rng(2).normal(0.0, 0.2, 3 * RATE)
    with pytest.raises(BadAudioError, match="Nothing dies away"):
        read_hum(noise, RATE, modes(), asked())


def test_a_stroke_cut_short_is_said() -> None:
    with pytest.raises(BadAudioError, match="let it ring"):
        read_hum(struck()[: RATE // 2], RATE, modes(), asked())


def test_what_lies_nearer_hums_more() -> None:
    def tuned(hz: float) -> Voice:
        voice = drum_voice(RACK, "tom")
        first: Partial = replace(voice.partials[0], frequency_hz=hz)
        return replace(voice, partials=(first, *voice.partials[1:]))

    kick_hz = KICK.drum_pitch.value
    found = expected_hum(
        {
            "Kick": ("kick", drum_voice(KICK, "kick")),
            "near": ("tom", tuned(1.03 * kick_hz)),
            "far": ("tom", tuned(3.1 * kick_hz)),
        }
    )
    assert found["Kick", "near"] > found["Kick", "far"] + 6.0
