"""What the classifier is trained on: the same from the same seed, labelled where strokes are."""

import numpy as np
import pytest

from emblar.core.acoustics.drum import Kind
from emblar.core.analysis.classify import neighbours as likeness
from emblar.core.analysis.classify.model import KINDS
from emblar.core.analysis.classify.patches import patches
from emblar.core.analysis.classify.tonality import SIZE as TONES
from emblar.core.analysis.onsets.detection import find_candidates
from emblar.core.analysis.signal.band_spans import FLAT_AT
from emblar.core.analysis.signal.band_spectrogram import BANDS, FLAT_BANDS, HOP_S, frames_of
from training import scenes
from training.backings import BAR, note, part, placed, riff, wide_backing
from training.mid_side import of_both
from training.modelled import drawn_voice, model_drum
from training.neighbours import FITS, among_alike
from training.rows import Gathered, blurred, colour, joined, louds, plain
from training.scenes import (
    LOOPS,
    MIXES,
    Found,
    _gathered,
    _looped,
    _time,
    band,
    finished,
    labelled,
    labelled_long,
    labelled_mixes,
    labelled_wide,
    labels_of,
    perform,
)
from training.sounds import PITCH_HZ, RATE, drum, log_uniform, metal, pitch


@pytest.fixture(scope="module")
def drawn() -> Found:
    return labelled(3)


@pytest.fixture(scope="module")
def rows(drawn: Found) -> Gathered:
    return joined([drawn, labelled(5)])


def test_mixes_hold_more_candidates_than_strokes() -> None:
    found = labelled_mixes(5)
    assert len(found.sizes) == 2 * MIXES
    assert sum(found.sizes) == len(found.labels) == len(found.times_s)
    assert (~found.labels.any(axis=1)).mean() > 0.1, "notes are candidates, too"


def test_drums_under_chords_are_a_mix_and_drums_alone_or_noise_are_not() -> None:
    rng = np.random.default_rng(2)
    drums, _ = perform(rng, band(rng), 0.12)
    level = float(np.sqrt(np.mean(drums**2)))
    t = np.arange(len(drums)) / RATE
    chords = sum(np.sin(2 * np.pi * f * t + f) for f in (220.0, 277.2, 329.6, 440.0, 659.3))
    # Struck anew every half second, 10 dB down by then.
    chords *= 10.0 ** (-(t % 0.5))
    assert not frames_of(drums.astype(np.float64)).is_mix
    assert frames_of(drums + 2.0 * level * chords).is_mix
    assert not frames_of(rng.standard_normal(3 * RATE)).is_mix


def test_the_same_seed_gives_the_same_rows(drawn: Found) -> None:
    again = labelled(3)
    for name in ("level_db", "flat_db", "tone", "labels", "times_s"):
        assert np.array_equal(getattr(again, name), getattr(drawn, name))
    assert (again.lengths, again.sizes) == (drawn.lengths, drawn.sizes)


def test_rows_labels_and_sizes_belong_together(drawn: Found) -> None:
    count = len(drawn.labels)
    assert drawn.tone.shape == (count, TONES)
    assert drawn.level_db.shape == (sum(drawn.lengths), BANDS)
    assert drawn.flat_db.shape == (count, len(FLAT_AT) * FLAT_BANDS)
    assert (drawn.flat_db <= 1e-6).all(), "a geometric mean is never above the arithmetic"
    assert drawn.labels.shape[1] == len(KINDS)
    assert sum(drawn.sizes) == count == len(drawn.times_s)
    assert drawn.labels.any(axis=0).all(), "every kind is played"
    assert not drawn.labels.any(axis=1).all(), "some candidates are no strokes"


@pytest.mark.parametrize("kind", ["kick", "snare", "tom"])
def test_a_drawn_drum_has_its_energy_near_its_pitch_and_dies_away(kind: str) -> None:
    rng = np.random.default_rng(4)
    for _ in range(5):
        stroke, pitch_hz = drum(rng, kind)
        sound = stroke(1.0)
        assert np.abs(sound).max() == pytest.approx(1.0, abs=1e-3)
        tail = np.sqrt(np.mean(sound[-RATE // 20 :] ** 2))
        assert tail < 0.3 * np.sqrt(np.mean(sound[: RATE // 20] ** 2))
        _, _, low, high = PITCH_HZ[kind]
        assert low <= pitch_hz <= high


def test_a_softer_stroke_is_softer() -> None:
    for maker in (drum(np.random.default_rng(1), "tom")[0], metal(np.random.default_rng(1), "hat")):
        assert np.abs(maker(0.35)).max() < np.abs(maker(1.0)).max()


def test_pitches_scatter_around_the_usual_one() -> None:
    rng = np.random.default_rng(0)
    drawn = [pitch(rng, "tom") for _ in range(400)]
    assert np.median(drawn) == pytest.approx(PITCH_HZ["tom"][0], rel=0.08)
    assert 10.0 <= log_uniform(rng, 10.0, 20.0) <= 20.0


def test_strokes_are_labelled_at_the_nearest_candidate_only() -> None:
    times = np.array([0.10, 0.50, 0.90])
    labels = labels_of(times, [(0.51, "kick"), (0.51, "hat"), (2.0, "tom")])
    assert labels[1, KINDS.index("kick")]
    assert labels[1, KINDS.index("hat")]
    assert labels.sum() == 2


def test_a_performance_holds_strokes_of_the_whole_kit_in_order() -> None:
    rng = np.random.default_rng(14)
    _, events = perform(rng, band(rng), 0.12)
    assert {kind.split("-")[0] for _, kind in events} <= set(KINDS)
    assert len(events) > 10


def test_a_song_comes_in_loops_and_has_fills() -> None:
    rng = np.random.default_rng(8)
    steps = 12 * max(LOOPS)
    rows = _looped(rng, steps, 3)
    played = {(step, kind) for step, kind, _ in rows}
    assert max(step for step, _ in played) < steps
    assert any(kind.startswith("tom") for _, kind in played)
    drums = {row for row in played if not row[1].startswith("tom")}
    again = [
        (step + max(LOOPS), kind) in drums for step, kind in drums if step + max(LOOPS) < steps
    ]
    assert np.mean(again) > 0.7


def test_played_time_has_a_steady_hand_and_a_backbeat() -> None:
    for seed in range(6):
        rows = _time(np.random.default_rng(seed), 20 * BAR, 3)
        hand = [step % BAR for step, kind, _ in rows if kind == "hat"]
        hand = hand or [step % BAR for step, kind, _ in rows if kind == "cymbal"]
        assert hand.count(0) >= max(hand.count(1), 10)
        loud = [step % BAR for step, kind, force in rows if kind == "snare" and force > 0.7]
        usual = np.bincount(loud, minlength=BAR)
        assert usual.max() > 3 * np.median(usual)
        assert all(0 <= step < 20 * BAR and 0.0 < force <= 1.0 for step, _, force in rows)


def test_a_riff_comes_again_bar_after_bar() -> None:
    notes = riff(np.random.default_rng(5), 16.0, "bass", 0.125)
    places = [round(at / 0.125) % BAR for at, _, _ in notes]
    counts = np.bincount(places, minlength=BAR)
    assert counts.max() <= 8
    assert np.median(counts[counts > 0]) > 6


@pytest.mark.parametrize("manner", ["plucked", "struck", "held", "sung"])
def test_notes_of_an_instrument_sound_of_it_at_any_pitch(manner: str) -> None:
    sounds = [note(np.random.default_rng(3), hz, 0.5, manner) for hz in (110.0, 220.0)]
    for sound, hz in zip(sounds, (110.0, 220.0), strict=True):
        assert len(sound) == RATE // 2
        level = np.abs(np.fft.rfft(sound))
        multiples = np.round(np.arange(1, 9) * hz / 2.0).astype(int)
        near = [level[k - 3 : k + 4].max() for k in multiples]
        between = [level[k - 3 : k + 4].max() for k in multiples + round(hz / 4.0)]
        assert np.median(near) > 4.0 * np.median(between)


def test_what_candidates_of_a_scene_say_of_each_other_stays_with_them(rows: Gathered) -> None:
    own = np.flatnonzero(np.isin(rows.scene, [0, 2]))
    alike, labels = among_alike(rows, own, "drums")
    assert alike.shape == (len(own), likeness.SIZE)
    assert np.array_equal(labels, rows.labels[own])
    alone, _ = among_alike(rows, np.flatnonzero(rows.scene == 0), "drums")
    assert np.allclose(alike[: len(alone)], alone)


def test_scenes_of_mixes_are_seen_as_by_classifiers_that_are_surer_or_less(rows: Gathered) -> None:
    own = np.flatnonzero(rows.scene == 0)
    alike, labels = among_alike(rows, own, "mix")
    first, second = np.split(alike, FITS["mix"].seen)
    assert np.array_equal(labels, np.tile(rows.labels[own], (FITS["mix"].seen, 1)))
    odds = [part[:, : len(KINDS)] for part in (first, second)]
    assert not np.allclose(odds[0], odds[1], atol=0.05)
    # Each is surer or less sure of a kind as a whole: their order stays.
    for kind in range(len(KINDS)):
        inside = np.all([np.abs(o[:, kind]) < 0.99 * np.abs(odds).max() for o in odds], axis=0)
        ranks = [np.argsort(o[inside, kind], kind="stable") for o in odds]
        assert np.array_equal(ranks[0], ranks[1])


def test_longer_scenes_are_the_same_for_the_same_seed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(scenes, "LONG_SECONDS", 3.0)
    one, again = labelled_long(1), labelled_long(1)
    assert len(one.sizes) == 2 * scenes.LONG
    assert np.array_equal(one.level_db, again.level_db)
    assert one.labels.any()
    assert max(one.lengths) * HOP_S == pytest.approx(3.0, abs=0.05)


@pytest.mark.parametrize("role", ["bass", "chords", "lead", "speech"])
def test_a_part_of_a_backing_sounds_for_as_long_as_asked(role: str) -> None:
    sound = part(np.random.default_rng(3), 2.0, role, 0.12)
    assert len(sound) == 2 * RATE
    assert np.sqrt(np.mean(sound**2)) == pytest.approx(1.0, rel=1e-3)


def test_pictures_of_a_gathered_scene_are_those_of_its_sound() -> None:
    rng = np.random.default_rng(6)
    kit = band(rng)
    sounds = [finished(rng, perform(rng, kit, 0.12, 2.0)[0]) for _ in range(2)]
    rows = joined([_gathered([([sound], []) for sound in sounds])])
    for scene, sound in enumerate(sounds):
        near, around = (
            np.concatenate(x) for x in zip(*patches(*find_candidates(sound)), strict=True)
        )
        own = np.flatnonzero(rows.scene == scene)
        kept = plain(rows, own, louds(rows))
        # Kept in half precision: only what is added to nearly the same can differ by much.
        for one, other in zip(kept, (near, around), strict=True):
            assert one.shape == other.shape
            assert np.quantile(np.abs(one - other), 0.97) < 0.02


def test_blurring_changes_what_is_seen_by_a_little_and_keeps_order(rows: Gathered) -> None:
    own = np.arange(0, len(rows.labels), 7)
    loud, rng = louds(rows), np.random.default_rng(0)
    exact = plain(rows, own, loud)
    still = np.zeros((len(rows.kit), BANDS), np.float32)
    for (one, other), most in zip(
        zip(blurred(rng, rows, own, loud, still), exact, strict=True), (0.35, 0.35), strict=True
    ):
        assert one.shape == other.shape
        assert 0.01 < np.median(np.abs(one - other)) < most
    like = blurred(np.random.default_rng(3), rows, own, loud, still)
    again = blurred(np.random.default_rng(3), rows, own, loud, still)
    assert np.array_equal(like[0], again[0])


def test_colourings_are_smooth_and_of_the_asked_spread() -> None:
    found = colour(np.random.default_rng(1), 4000, 5.0)
    assert found.std() == pytest.approx(4.3, abs=0.5)
    assert np.abs(np.diff(found, axis=1)).mean() < 0.4 * found.std()


@pytest.mark.parametrize("kind", ["kick", "snare", "tom"])
def test_drums_of_the_model_sound_at_their_pitch_and_softer_when_struck_softer(kind: Kind) -> None:
    for seed in range(4):
        voice = drawn_voice(np.random.default_rng(seed), kind)
        stroke, hz = model_drum(np.random.default_rng(seed), kind)
        assert hz == voice.settled_hz()
        hard, soft = stroke(1.0), stroke(0.35)
        assert np.abs(soft).max() < np.abs(hard).max() == pytest.approx(1.0, abs=1e-3)
        size = 1 << 17
        level = np.abs(np.fft.rfft(soft[RATE // 50 : RATE // 3], size))
        bins_hz = np.fft.rfftfreq(size, 1.0 / RATE)
        near = np.abs(12.0 * np.log2(np.maximum(bins_hz, 1.0) / voice.settled_hz())) < 1.5
        assert level[near].max() > 0.2 * level[(bins_hz > 25) & (bins_hz < 400)].max()


def test_stereo_scenes_come_in_pairs_that_share_their_candidates() -> None:
    found = labelled_wide(1)
    assert found.sizes[::2] == found.sizes[1::2]
    assert len(found.sizes) == 2 * MIXES
    parts = np.split(np.arange(len(found.labels)), np.cumsum(found.sizes)[:-1])
    for middle, beside in zip(parts[::2], parts[1::2], strict=True):
        assert (found.times_s[middle] == found.times_s[beside]).all()
        assert (found.labels[middle] == found.labels[beside]).all()
    levels = np.split(found.level_db.astype(float), np.cumsum(found.lengths)[:-1])
    assert all((a != b).any() for a, b in zip(levels[::2], levels[1::2], strict=True))
    rows = joined([found])
    told, truth = of_both(rows, np.arange(len(rows.labels)))
    assert len(told) == len(truth) == len(rows.labels) // 2


def test_parts_of_a_stereo_backing_stand_in_different_places() -> None:
    assert placed(0.0).tolist() == [1.0, 1.0]
    assert placed(-1.0).tolist() == [1.0, 0.0]
    assert placed(0.5).tolist() == [0.5, 1.0]
    found = wide_backing(np.random.default_rng(3), 4.0, 0.12)
    assert found.shape == (4 * RATE, 2)
    assert np.sqrt(np.mean(found**2)) == pytest.approx(1.0, rel=1e-3)
    apart = np.mean((found[:, 0] - found[:, 1]) ** 2)
    assert apart > 0.01
