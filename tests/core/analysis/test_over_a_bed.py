"""Pitches read where others sound, too, and fundamentals under louder modes."""

import numpy as np
import pytest

from emblar.core.analysis.card.measure import OVER_BED, CleanStroke, measure_voice
from emblar.core.analysis.pitch.mode_choice import (
    MOST_BED,
    bed_share,
    modes_hz,
    over_bed,
    tuned_hz,
    voice_spectrum,
)
from emblar.core.analysis.pitch.tracking import settled_hz
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.analysis.signal.low_band import StrokeSpan, low_band
from emblar.core.notes import cents
from emblar.core.quantities import Measured, Unknown
from emblar.core.quantities.card import Card, Track

RATE = ANALYSIS_RATE_HZ
GAP_S = 0.6
STROKES = 12
BASS_HZ = (41.2, 55.0, 49.0, 61.7, 73.4, 46.2)


def struck(partials: list[tuple[float, float, float]], length_s: float = GAP_S) -> np.ndarray:
    """Return one stroke of (Hz, T60 in s, amplitude)."""
    t = np.arange(int(length_s * RATE)) / RATE
    return sum(
        (a * np.sin(2 * np.pi * hz * t) * 10.0 ** (-3.0 * t / t60) for hz, t60, a in partials),
        np.zeros(len(t)),
    )


def song(kick_level: float, bass_level: float, bass_hz: tuple[float, ...]) -> np.ndarray:
    """Return a kick of 66 Hz at even steps over bass notes that begin with it and are held."""
    rng = np.random.default_rng(3)
    one = kick_level * struck([(66.0, 0.35, 1.0), (1500.0, 0.03, 0.5)])
    out = np.tile(np.concatenate([one]), STROKES)
    out = np.concatenate([np.zeros(RATE // 2), out])
    t = np.arange(int(GAP_S * RATE)) / RATE
    for index in range(STROKES):
        start = RATE // 2 + index * len(t)
        hz = bass_hz[index % len(bass_hz)]
        out[start : start + len(t)] += bass_level * np.sin(2 * np.pi * hz * t + rng.random() * 6.0)
    return out + 1e-4 * rng.standard_normal(len(out))


def strokes() -> list[CleanStroke]:
    return [
        CleanStroke(0.5 + index * GAP_S, -10.0 - 0.01 * index, GAP_S, GAP_S)
        for index in range(STROKES)
    ]


def spans() -> list[StrokeSpan]:
    return [StrokeSpan(s.time_s, s.drum_gap_s) for s in strokes()]


def card(sound: np.ndarray, *, mix: bool) -> Card:
    return measure_voice(
        "kick", sound, [low_band(sound)], strokes(), levels_db=[-10.0] * STROKES, mix=mix
    )


@pytest.mark.parametrize("bass", [0.16, 0.2])
def test_a_kick_is_read_over_bass_notes_that_change(bass: float) -> None:
    sound = song(1.0, bass, BASS_HZ)
    assert bed_share(low_band(sound), spans(), "kick") > MOST_BED["kick"]
    found = card(sound, mix=True)
    assert isinstance(found["pitch"], Measured)
    assert abs(cents(found["pitch"].value, 66.0)) < 40.0


def test_a_kick_buried_under_the_bass_is_not_told_and_says_what_to_bring() -> None:
    found = card(song(0.04, 1.0, BASS_HZ), mix=True)
    assert found["pitch"] == Unknown(OVER_BED)
    assert "bring a drum stem" in OVER_BED


def test_a_decay_that_strokes_do_not_agree_on_is_not_told() -> None:
    found = card(song(1.0, 0.6, BASS_HZ), mix=True)
    if isinstance(found["sustain"], Measured):
        assert found["sustain"].sd <= 0.15 * found["sustain"].value
    else:
        assert found["sustain"].reason == OVER_BED


def test_drums_alone_are_read_as_before_whatever_rings_on() -> None:
    sound = song(1.0, 0.0, BASS_HZ)
    one, other = (card(sound, mix=m)["pitch"] for m in (True, False))
    assert isinstance(one, Measured)
    assert isinstance(other, Measured)
    assert abs(cents(one.value, other.value)) < 5.0


def test_what_strokes_have_in_common_is_all_where_they_are_alike_and_little_where_not() -> None:
    alike = over_bed(low_band(song(1.0, 0.0, BASS_HZ)), spans(), "kick")
    apart = over_bed(low_band(song(0.0, 1.0, BASS_HZ)), spans(), "kick")
    assert alike is not None
    assert apart is not None
    assert alike.common > 0.95
    assert apart.common < 0.4 * alike.common
    assert alike.supports(66.0, "kick")
    assert not apart.supports(66.0, "kick")


def test_three_strokes_are_the_fewest_that_can_agree() -> None:
    low = low_band(song(1.0, 0.0, BASS_HZ))
    two, three = (over_bed(low, spans()[:n], "kick") for n in (2, 3))
    assert two is not None
    assert three is not None
    assert not two.supports(66.0, "kick")
    assert three.supports(66.0, "kick")


@pytest.mark.parametrize(("hz", "told"), [(190.0, True), (310.0, False)])
def test_under_a_backing_what_is_likely_a_snares_second_mode_is_not_its_pitch(
    hz: float, told: bool
) -> None:
    one = struck([(hz, 0.3, 1.0), (1700.0, 0.05, 0.4)])
    sound = np.concatenate([np.zeros(RATE // 2), np.tile(one, STROKES)])
    own = measure_voice(
        "snare", sound, [low_band(sound)], strokes(), levels_db=[-10.0] * STROKES, mix=True
    )
    assert isinstance(own["pitch"], Measured) == told
    alone = measure_voice("snare", sound, [low_band(sound)], strokes(), levels_db=[-10.0] * STROKES)
    assert isinstance(alone["pitch"], Measured)
    assert abs(cents(alone["pitch"].value, hz)) < 15.0
    if told:
        # What strokes have in common under others is surer of its mode than of its cents.
        assert own.pitch_sd_cents is not None
        assert alone.pitch_sd_cents is not None
        assert own.pitch_sd_cents > alone.pitch_sd_cents + 10.0


def heard(kind: str, partials: list[tuple[float, float, float]]) -> float:
    sound = np.concatenate([np.zeros(RATE // 4), struck(partials, 2.0)])
    low, span = low_band(sound), [StrokeSpan(0.25, 1.9)]
    spectrum = voice_spectrum(low, span, kind)
    assert spectrum is not None
    early = voice_spectrum(low, span, kind, (0.015, 0.120))
    return modes_hz(spectrum, kind, early=early)[0][0]


def test_a_toms_louder_second_mode_is_not_its_pitch() -> None:
    assert heard("tom", [(110.0, 0.7, 0.3), (198.0, 1.1, 0.5)]) == pytest.approx(110.0, rel=0.02)
    gone = [(147.0, 0.4, 0.4), (244.0, 0.9, 0.4)]
    assert heard("tom", gone) == pytest.approx(147.0, rel=0.02), "read early, before it has died"
    far = [(70.0, 0.7, 0.2), (198.0, 1.1, 0.5)]
    assert heard("tom", far) == pytest.approx(198.0, rel=0.02), "no second mode lies so far above"


def test_a_kick_is_not_tuned_to_its_second_mode() -> None:
    assert heard("kick", [(54.0, 0.6, 0.3), (126.0, 0.4, 0.8)]) == pytest.approx(54.0, rel=0.03)
    assert heard("kick", [(38.0, 0.6, 0.3), (84.0, 0.4, 0.8)]) == pytest.approx(84.0, rel=0.03)


@pytest.mark.parametrize("louder_db", [-1.0, -0.1, 0.1, 2.0])
def test_of_two_modes_as_loud_a_kick_is_tuned_to_the_one_in_its_range(louder_db: float) -> None:
    above = 10.0 ** (louder_db / 20.0)
    partials = [(57.0, 0.4, 0.55), (83.0, 0.4, 1.0), (118.0, 0.4, above)]
    assert heard("kick", partials) == pytest.approx(83.0, rel=0.02)
    partials[1] = (83.0, 0.4, 0.3)
    assert heard("kick", partials) == pytest.approx(57.0, rel=0.04), "too faint: the ratio says it"


def test_a_glide_is_read_from_where_its_span_begins() -> None:
    def track(first_s: float) -> Track:
        time = np.arange(first_s, 0.16, 0.012)
        return Track(time, 50.0 * 2.0 ** (0.1 * np.exp(-time / 0.06)), np.exp(-8.0 * time))

    whole, late = settled_hz(track(0.020), tom=False), settled_hz(track(0.044), tom=False)
    assert whole is not None
    assert late is not None
    seen = track(0.044)
    inside = seen.time_s <= 0.150
    plain = float(np.average(seen.frequency_hz[inside], weights=seen.amplitude[inside] ** 2))
    assert abs(cents(late, whole)) < 0.4 * abs(cents(plain, whole))
    rising = Track(track(0.044).time_s, track(0.044).frequency_hz[::-1], track(0.044).amplitude)
    found = settled_hz(rising, tom=False)
    assert found is not None
    assert found >= rising.frequency_hz.min(), "a pitch that rises is not led on below itself"


def test_strokes_with_nothing_in_common_in_range_are_no_error() -> None:
    silent = np.zeros(2 * RATE)
    silent[RATE // 2] = 1.0
    assert voice_spectrum(low_band(np.zeros(2 * RATE)), spans()[:2], "kick") is None
    found = measure_voice(
        "tom-1", silent, [low_band(silent)], strokes()[:1], levels_db=[-20.0], mix=False
    )
    assert found.hits == 1


@pytest.mark.parametrize(
    ("partials", "wanted"),
    [
        ([(212.0, 0.12, 0.25), (313.0, 0.12, 1.0)], 212.0),
        # Too faint, too far below to be the first mode, or high enough by itself.
        ([(212.0, 0.12, 0.1), (313.0, 0.12, 1.0)], 313.0),
        ([(140.0, 0.12, 0.25), (313.0, 0.12, 1.0)], 313.0),
        ([(160.0, 0.12, 0.25), (235.0, 0.12, 1.0)], 235.0),
    ],
)
def test_a_snare_that_seems_high_is_looked_under(
    partials: list[tuple[float, float, float]], wanted: float
) -> None:
    assert heard("snare", partials) == pytest.approx(wanted, abs=2.0)


def test_what_is_faint_beside_the_loudest_is_no_fundamental_of_a_tom() -> None:
    partials = [(173.0, 0.4, 1.0), (145.0, 0.4, 0.33), (86.0, 0.4, 0.28)]
    sound = np.concatenate([np.zeros(RATE // 4), struck(partials, 2.0)])
    # Grouped by the middle one: half of it lies there, but as faint as it.
    assert tuned_hz(145.0, low_band(sound), [StrokeSpan(0.25, 1.9)]) == 145.0
