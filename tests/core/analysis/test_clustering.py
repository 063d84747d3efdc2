"""A snare whose wires were not heard is found among what looks like toms; kicks stay kicks."""

import numpy as np
import pytest

from emblar.core.analysis.signal.band_spectrogram import BANDS, band_centres_hz
from emblar.core.analysis.voices.clustering import group_membranes, snare_among, treble_db

TREBLE = band_centres_hz() > 3000.0


def prints(
    centre_hz: float, treble_db_: float, count: int, seed: int, fall: float = 0.6
) -> np.ndarray:
    """Return prints of strokes with a body at a pitch and so much treble against it."""
    rng = np.random.default_rng(seed)
    octaves = np.log2(np.maximum(band_centres_hz(), 1.0) / centre_hz)
    shape = np.exp(-0.5 * (octaves / 0.3) ** 2) + 1e-6
    shape[TREBLE] += shape.sum() * 10.0 ** (treble_db_ / 10.0) / TREBLE.sum()
    segments = shape[None, :] * fall ** np.arange(6)[:, None]
    return segments.ravel()[None, :] * 10.0 ** (0.05 * rng.standard_normal((count, 6 * BANDS)))


def kit(
    snare_treble_db: float, snare_hz: float = 190.0
) -> tuple[list[float], np.ndarray, np.ndarray, np.ndarray]:
    """Return pitches, prints and chances of a kick, two toms and a snare taken for a tom."""
    rows = [
        (60.0, -30.0, 8, 0.95),
        (140.0, -24.0, 6, 0.1),
        (100.0, -24.0, 6, 0.1),
        (snare_hz, snare_treble_db, 8, 0.25),
    ]
    table = np.concatenate([prints(hz, t, n, i) for i, (hz, t, n, _) in enumerate(rows)])
    pitches = [hz for hz, _, n, _ in rows for _ in range(n)]
    kick = np.array([k for *_, n, k in rows for _ in range(n)])
    return pitches, table, kick, 1.0 - kick


def test_the_drum_that_keeps_its_treble_is_the_snare() -> None:
    pitches, table, kick, tom = kit(-8.0)
    assert sorted(snare_among(pitches, table, kick, tom)) == list(range(20, 28))
    # Without it three toms would be told.
    assert sum(not m.kick for m in group_membranes(pitches, table, kick, tom)) == 3


@pytest.mark.parametrize("treble", [-16.0, -25.0])
def test_a_tom_with_little_treble_stays_a_tom(treble: float) -> None:
    pitches, table, kick, tom = kit(treble)
    assert len(snare_among(pitches, table, kick, tom)) == 0


@pytest.mark.parametrize("hz", [70.0, 320.0])
def test_what_lies_outside_a_snares_range_is_none(hz: float) -> None:
    pitches, table, kick, tom = kit(-8.0, hz)
    found = snare_among(pitches, table, kick, tom)
    assert not set(found.tolist()) & set(range(20, 28))


def test_too_few_strokes_and_none_at_all_are_none() -> None:
    pitches, table, kick, tom = kit(-8.0)
    some = slice(0, 23)
    assert len(snare_among(pitches[some], table[some], kick[some], tom[some])) == 0
    assert len(snare_among([], table[:0], kick[:0], tom[:0])) == 0
    assert len(snare_among([None] * 4, table[:4], kick[:4], tom[:4])) == 0


def test_treble_is_told_against_the_bass() -> None:
    loud, faint = (float(np.median(treble_db(prints(150.0, t, 5, 1)))) for t in (-5.0, -25.0))
    assert loud == pytest.approx(-5.0, abs=1.5)
    assert faint < loud - 15.0


def test_a_tom_taken_for_the_kick_stays_one_where_it_is_well_above_and_falls_as_toms_do() -> None:
    kick = prints(60.0, -30.0, 8, 1, fall=0.3)
    for fall, toms in ((0.7, 1), (0.95, 0), (0.35, 0)):
        table = np.concatenate([kick, prints(110.0, -30.0, 8, 9, fall=fall)])
        share = np.array([0.95] * 8 + [0.9] * 8)
        found = group_membranes([60.0] * 8 + [110.0] * 8, table, share, 1.0 - share)
        assert sum(not m.kick for m in found) == toms


def test_a_group_the_classifier_surely_takes_for_the_kick_is_no_tom_though_it_rings() -> None:
    slow = prints(110.0, -30.0, 6, 9, fall=0.95)
    table = np.concatenate([prints(60.0, -30.0, 8, 1, fall=0.3), slow])
    pitches = [60.0] * 8 + [110.0] * 6
    for share, toms in ((0.85, 0), (0.72, 1)):
        kick = np.array([0.95] * 8 + [share] * 6)
        found = group_membranes(pitches, table, kick, 1.0 - kick)
        assert sum(not m.kick for m in found) == toms
