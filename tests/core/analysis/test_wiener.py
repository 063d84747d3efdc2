import numpy as np
import pytest

from emblar.core.analysis.card.clean import AnalysedHit
from emblar.core.analysis.separation.wiener import TemplateSeparator, separate_voices
from emblar.core.synthesis.song import Performance

RATE = 44100


def hits_of(song: Performance, until_s: float) -> list[AnalysedHit]:
    return [
        AnalysedHit(e.time_s, e.voice, 20.0 * float(np.log10(e.force)), 1.0, True)
        for e in song.events
        if e.time_s < until_s
    ]


def ratio_db(wanted: np.ndarray, found: np.ndarray) -> float:
    return 10.0 * float(np.log10(np.sum(wanted**2) / np.sum((found - wanted) ** 2)))


@pytest.fixture(scope="module")
def mix(song: Performance) -> tuple[np.ndarray, np.ndarray]:
    """Twelve seconds of the song's drums, and a held chord with a moving bass."""
    drums = song.samples[: 12 * RATE]
    t = np.arange(len(drums)) / RATE
    rest = sum(0.05 * np.sin(2 * np.pi * f * t) for f in (110.0, 220.0, 277.2, 329.6, 440.0))
    rest = np.asarray(rest)[:, None] * np.array([1.0, 0.8])
    return drums, rest


def test_drums_and_rest_add_up_to_the_mix(
    song: Performance, mix: tuple[np.ndarray, np.ndarray]
) -> None:
    drums, rest = mix
    parts = TemplateSeparator(hits_of(song, 12.0)).separate(drums + rest, RATE)
    assert np.allclose(parts.drums + parts.rest, drums + rest, atol=1e-9)


def test_both_parts_are_nearer_to_what_was_mixed_than_the_mix_is(
    song: Performance, mix: tuple[np.ndarray, np.ndarray]
) -> None:
    drums, rest = mix
    parts = TemplateSeparator(hits_of(song, 12.0)).separate(drums + rest, RATE)
    assert ratio_db(drums, parts.drums) > ratio_db(drums, drums + rest) + 6.0
    assert ratio_db(rest, parts.rest) > ratio_db(rest, drums + rest) + 3.0


def test_a_voice_alone_holds_its_strokes_and_little_of_the_others(song: Performance) -> None:
    drums = song.samples[: 12 * RATE]
    hits = hits_of(song, 12.0)
    voices = separate_voices(drums, RATE, hits)
    assert np.allclose(sum(voices.values()), drums, atol=1e-9)
    (kick,) = separate_voices(drums, RATE, hits, only="kick").items()
    assert kick[0] == "kick"
    assert np.array_equal(kick[1], voices["kick"])
    assert separate_voices(drums, RATE, hits, only="tom-9") == {}
    others = [h.time_s for h in hits if h.voice == "snare"]
    kicks = [h.time_s for h in hits if h.voice == "kick"]

    def level(sound: np.ndarray, times: list[float]) -> float:
        pieces = [sound[round(t * RATE) : round((t + 0.03) * RATE)] for t in times]
        return float(np.mean([np.mean(p**2) for p in pieces]))

    lone_snares = [t for t in others if min(abs(t - k) for k in kicks) > 0.05]
    assert level(voices["kick"], kicks) > 20.0 * level(voices["kick"], lone_snares)
    assert level(voices["snare"], lone_snares) > 0.3 * level(drums, lone_snares)
