"""Toms under a bass: told apart by what their strokes add, numbered high to low, notes left out."""

import numpy as np
import pytest

from emblar.core.analysis.classify.model import KINDS
from emblar.core.analysis.signal.band_spectrogram import BANDS, band_centres_hz
from emblar.core.analysis.signal.low_band import LOW_RATE_HZ, StrokeSpan
from emblar.core.analysis.signal.scene import ACCOMPANIED, ALONE, Accompaniment
from emblar.core.analysis.voices.assignment import (
    NOWHERE,
    SNARE_AFTER_ALL,
    agreed,
    places,
    with_a_snare,
)
from emblar.core.analysis.voices.embedding import Heard, heard_of
from emblar.core.analysis.voices.joint_clustering import MOST_TOMS, Toms, joint_toms
from emblar.core.synthesis.stroke import Partial, Voice, render_stroke

GAP_S = 0.5
TREBLE = band_centres_hz() > 3000.0


def prints(treble_db: float, count: int, seed: int, centre_hz: float = 150.0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    octaves = np.log2(np.maximum(band_centres_hz(), 1.0) / centre_hz)
    shape = np.exp(-0.5 * (octaves / 0.8) ** 2) + 1e-6
    shape[TREBLE] += shape.sum() * 10.0 ** (treble_db / 10.0) / TREBLE.sum()
    segments = shape[None, :] * 0.7 ** np.arange(6)[:, None]
    return segments.ravel()[None, :] * 10.0 ** (0.05 * rng.standard_normal((count, 6 * BANDS)))


def song(order: list[float], bass_db: float, seed: int = 0) -> tuple[np.ndarray, np.ndarray]:
    """Return the low band of strokes at some pitches over a bass that changes note, and times."""
    rng = np.random.default_rng(seed)
    times = 0.3 + GAP_S * np.arange(len(order))
    low = np.zeros(round((times[-1] + 1.0) * LOW_RATE_HZ))
    time = np.arange(len(low)) / LOW_RATE_HZ
    if bass_db > -90.0:
        for start in np.arange(0.0, time[-1], 0.37):
            hz = 41.2 * 2.0 ** (int(rng.integers(0, 18)) / 12.0)
            own = (time >= start) & (time < start + 0.36)
            low[own] += 0.4 * 10.0 ** (bass_db / 20.0) * np.sin(2.0 * np.pi * hz * time[own])
    for at, hz in zip(times, order, strict=True):
        voice = Voice((Partial(hz, 0.9, 0.4), Partial(1.6 * hz, 0.4, 0.12)), (), 30.0)
        force = float(rng.uniform(0.7, 1.3))
        stroke = render_stroke(
            voice, sample_rate_hz=int(LOW_RATE_HZ), force=force, rng=rng, length_s=0.45
        )
        first = round(at * LOW_RATE_HZ)
        low[first : first + len(stroke)] += stroke
    return low, times


def heard(low: np.ndarray, times: np.ndarray) -> Heard:
    return heard_of(low, [StrokeSpan(float(t), GAP_S) for t in times])


def test_less_sure_strokes_join_the_tom_whose_colour_they_have_and_others_none() -> None:
    low, times = song([150.0, 80.0] * 5 + [150.0, 80.0, 62.0], -99.0)
    chances = np.array([0.9] * 10 + [0.35] * 3)
    found = joint_toms([heard(low, times)], prints(-25.0, 13, 1), chances)
    assert [sorted(g.tolist()) for g in found.toms] == [[0, 2, 4, 6, 8, 10], [1, 3, 5, 7, 9, 11]]
    assert found.others.tolist() == [12]


@pytest.mark.parametrize("bass_db", [-99.0, -14.0, -10.0, -6.0])
def test_three_toms_are_three_whatever_the_bass_plays(bass_db: float) -> None:
    order = [150.0, 110.0, 80.0] * 6
    low, times = song(order, bass_db)
    found = joint_toms([heard(low, times)], prints(-25.0, 18, 1), np.full(18, 0.8))
    assert [sorted(g.tolist()) for g in found.toms] == [list(range(i, 18, 3)) for i in range(3)]
    assert len(found.snare) == 0
    assert len(found.others) == 0


def test_what_seems_a_tom_now_and_then_is_none() -> None:
    order = [150.0] * 8 + [95.0, 63.0, 205.0]
    low, times = song(order, -10.0)
    tom = np.array([0.8] * 8 + [0.4] * 3)
    found = joint_toms([heard(low, times)], prints(-25.0, 11, 1), tom)
    assert [sorted(g.tolist()) for g in found.toms] == [list(range(8))]
    assert found.others.tolist() == [8, 9, 10]


def test_a_note_that_is_usual_in_the_recording_does_not_make_toms_alike() -> None:
    order = [150.0, 80.0] * 6
    low, times = song(order, -99.0)
    time = np.arange(len(low)) / LOW_RATE_HZ
    # A bass swells on one note with every stroke, and between them, too.
    low += 0.8 * np.sin(2.0 * np.pi * 62.0 * time) * np.abs(np.sin(np.pi * time / 0.37))
    found = heard(low, times).embeddings
    like = found @ found.T
    same = np.add.outer(np.arange(12), np.arange(12)) % 2 == 0
    assert like[same].min() > like[~same].max() + 0.2


def test_the_bright_one_may_be_a_snare_and_is_no_tom() -> None:
    order = [180.0] * 8 + [110.0] * 6
    low, times = song(order, -10.0)
    rows = np.concatenate([prints(-6.0, 8, 1), prints(-25.0, 6, 2)])
    found = joint_toms([heard(low, times)], rows, np.full(14, 0.8))
    assert sorted(found.snare.tolist()) == list(range(8))
    assert [sorted(g.tolist()) for g in found.toms] == [list(range(8, 14))]


def test_no_kit_has_more_toms_than_players_bring() -> None:
    pitches = [200.0, 160.0, 128.0, 102.0, 82.0, 65.0]
    low, times = song(pitches * 4, -99.0)
    found = joint_toms([heard(low, times)], prints(-25.0, 24, 1), np.full(24, 0.8))
    assert len(found.toms) == MOST_TOMS


def test_one_stroke_and_none_are_no_tom() -> None:
    for count in (0, 1):
        low, times = song([110.0], -99.0)
        found = joint_toms([heard(low, times[:count])], prints(-25.0, count, 1), np.full(count, 1))
        assert found.toms == ()


def chances(rows: list[tuple[str, float]]) -> np.ndarray:
    out = np.full((len(rows), len(KINDS)), 0.02)
    for i, (kind, sure) in enumerate(rows):
        out[i, KINDS.index(kind)] = sure
    return out


def test_places_are_kick_toms_high_to_low_and_nowhere() -> None:
    order = [60.0, 140.0, 95.0] * 6
    low, times = song(order, -10.0)
    told = chances([("kick", 0.9), ("tom", 0.8), ("tom", 0.8)] * 6)
    found = places(times, [low], told, prints(-25.0, 18, 1), ACCOMPANIED)
    assert found.toms == 2
    assert found.of.tolist() == [0, 1, 2] * 6
    told[4] = 0.02
    again = places(times, [low], told, prints(-25.0, 18, 1), ACCOMPANIED)
    assert again.of[4] == NOWHERE


def test_alone_too_toms_are_told_apart_by_more_than_one_peak() -> None:
    # Every other stroke of one tom is loudest in a mode near the other's note.
    low, times = song([150.0, 87.5] * 6, -99.0)
    time = np.arange(round(GAP_S * LOW_RATE_HZ)) / LOW_RATE_HZ
    for at in times[1::4]:
        first = round(at * LOW_RATE_HZ)
        low[first : first + len(time)] += 1.3 * np.sin(880.0 * time) * 10.0 ** (-3.0 * time / 0.4)
    told = chances([("tom", 0.9)] * 12)
    found = places(times, [low], told, prints(-25.0, 12, 1), ALONE)
    assert found.toms == 2
    assert found.of.tolist() == [1, 2] * 6


def test_alone_a_kick_is_told_from_toms_and_they_are_numbered_high_to_low() -> None:
    low, times = song([60.0, 95.0, 140.0] * 5, -99.0)
    told = chances([("kick", 0.9), ("tom", 0.8), ("tom", 0.8)] * 5)
    found = places(times, [low], told, prints(-25.0, 15, 1), ALONE)
    assert found.toms == 2
    assert found.of.tolist() == [0, 2, 1] * 5
    # Where a bass is said to lead their notes astray they are numbered as in a mix.
    said = places(times, [low], told, prints(-25.0, 15, 1), Accompaniment(taken=True))
    assert said.of.tolist() == found.of.tolist()


def test_a_snare_is_put_in_only_where_hardly_any_was_heard() -> None:
    order = [180.0] * 8 + [110.0] * 6
    low, times = song(order, -10.0)
    rows = np.concatenate([prints(-6.0, 8, 1), prints(-25.0, 6, 2)])
    told = chances([("tom", 0.8)] * 14)
    snare, tom = KINDS.index("snare"), KINDS.index("tom")
    now = with_a_snare(times, [low], told, rows, ACCOMPANIED)
    assert (now[:8, snare] == SNARE_AFTER_ALL).all()
    assert (now[:8, tom] < 0.2).all()
    assert (now[8:] == told[8:]).all()
    told[8:12] = chances([("snare", 0.9)] * 4)
    assert (with_a_snare(times, [low], told, rows, ACCOMPANIED) == told).all()


def test_toms_hidden_in_the_middle_are_told_apart_in_the_side() -> None:
    order = [150.0, 80.0, 110.0] * 6
    low, times = song(order, 12.0)
    beside, _ = song(order, -99.0, seed=3)
    rows, chances = prints(-25.0, 18, 1), np.full(18, 0.8)
    want = [list(range(place, 18, 3)) for place in (0, 2, 1)]
    middle, both = (
        joint_toms([heard(band, times) for band in bands], rows, chances)
        for bands in ([low], [low, beside])
    )
    assert [sorted(g.tolist()) for g in both.toms] == want
    assert [sorted(g.tolist()) for g in middle.toms] != want
    # The middle has its way where it parts them no worse.
    clear = joint_toms([heard(b, times) for b in (beside, low)], rows, chances)
    assert [sorted(g.tolist()) for g in clear.toms] == want


def test_the_way_to_part_toms_that_most_agree_on_is_taken() -> None:
    nothing = np.empty(0, np.int64)

    def parted(*toms: list[int]) -> Toms:
        return Toms(tuple(np.array(t) for t in toms), nothing, nothing)

    runs = [
        parted([0, 1, 2, 3]),
        parted([0, 1], [2, 3]),
        parted([0, 1], [2, 3]),
        parted([0, 1], [3]),
    ]
    assert agreed(runs, 5) is runs[1]
    assert agreed([parted([2, 3], [0, 1]), *runs[1:3]], 5) is runs[1]
    assert agreed(runs[:1], 5) is runs[0]
    assert agreed([parted(), parted()], 0).toms == ()
