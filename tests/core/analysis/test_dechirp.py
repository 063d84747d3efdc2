"""Glides fitted to the phase of a note and taken out; overtones read where they stand still."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from emblar.core.analysis.card.overtones import voice_ring
from emblar.core.analysis.pitch.dechirp import dechirped, stroke_glide
from emblar.core.analysis.signal.low_band import LOW_RATE_HZ, StrokeSpan
from emblar.core.notes import cents
from emblar.core.synthesis.stroke import Partial, Voice, render_stroke

AT_S = 0.3
SPAN_S = (0.02, 0.32)
STROKE = StrokeSpan(AT_S, 2.0)


def low_of(partials: list[Partial], bend_cents: float, noise: float = 1e-5) -> np.ndarray:
    """Return a stroke of some partials at the low rate, silence before it."""
    rng = np.random.default_rng(3)
    voice = Voice(tuple(partials), (), bend_cents)
    stroke = render_stroke(voice, sample_rate_hz=int(LOW_RATE_HZ), force=1.0, rng=rng, length_s=2.2)
    sound = np.concatenate([np.zeros(round(AT_S * LOW_RATE_HZ)), stroke])
    return sound + noise * rng.standard_normal(len(sound))


# Lower and shorter than this the window blurs a deep bend: 6 cents off at 60 Hz, 0.8 s, 250 cents.
@settings(max_examples=25)
@given(
    hz=st.floats(66.0, 220.0),
    t60=st.floats(0.8, 4.0),
    bend=st.floats(0.0, 250.0),
    off=st.floats(-0.03, 0.03),
)
def test_any_glide_of_a_tom_is_found_from_about_where_the_note_is(
    hz: float, t60: float, bend: float, off: float
) -> None:
    low = low_of([Partial(hz, t60, 0.5)], bend)
    found = stroke_glide(low, STROKE, hz * (1.0 + off), SPAN_S)
    # Between where the lowest of these notes is first and last heard alone.
    time = np.array([0.10, 0.16, 0.22])
    told = found.settled_hz * 2.0 ** (found.octaves * np.exp(-found.rate * time))
    true = hz * 2.0 ** (bend / 1200.0 * np.exp(-2.0 * 6.908 / t60 * time))
    assert np.max(np.abs(1200.0 * np.log2(told / true))) < 5.0


def test_a_steady_note_is_not_bent() -> None:
    found = stroke_glide(low_of([Partial(110.0, 1.2, 0.5)], 0.0), STROKE, 110.0, SPAN_S)
    assert abs(cents(found.settled_hz, 110.0)) < 0.5
    assert found.octaves * 1200.0 < 2.0


@pytest.mark.parametrize("span", [(0.02, 0.05), (0.02, 0.021)])
def test_too_short_a_span_leaves_the_note_as_it_is(span: tuple[float, float]) -> None:
    found = stroke_glide(low_of([Partial(60.0, 1.0, 0.5)], 90.0), STROKE, 60.0, span)
    assert (found.settled_hz, found.octaves) == (60.0, 0.0)


def test_silence_leaves_the_note_as_it_is() -> None:
    found = stroke_glide(np.zeros(4000), STROKE, 100.0, SPAN_S)
    assert (found.settled_hz, found.octaves) == (100.0, 0.0)


def test_what_is_unbent_stands_still() -> None:
    low = low_of([Partial(100.0, 1.5, 0.5)], 150.0)
    glide = stroke_glide(low, STROKE, 100.0, SPAN_S)
    still = dechirped(low, STROKE, glide, SPAN_S)
    halves = [
        np.argmax(np.abs(np.fft.rfft(h * np.hanning(len(h)), 1 << 17))) * LOW_RATE_HZ / (1 << 17)
        for h in (still[:300], still[300:600])
    ]
    assert abs(cents(halves[0], halves[1])) < 4.0
    gliding = low[round((AT_S + 0.02) * LOW_RATE_HZ) :][:600]
    before = [
        np.argmax(np.abs(np.fft.rfft(h * np.hanning(300), 1 << 17))) * LOW_RATE_HZ / (1 << 17)
        for h in (gliding[:300], gliding[300:])
    ]
    assert abs(cents(before[0], before[1])) > 30.0


@pytest.mark.parametrize("bend", [0.0, 60.0, 200.0])
def test_close_overtones_come_apart_while_the_note_glides(bend: float) -> None:
    low = low_of(
        [Partial(110.0, 1.2, 0.5), Partial(198.0, 1.1, 0.3), Partial(206.0, 0.4, 0.3)], bend
    )
    rings = voice_ring(low, [STROKE], 110.0)
    found = sorted(r.ratio for r in rings[:2])
    assert abs(cents(found[0], 198.0 / 110.0)) < 3.0
    assert abs(cents(found[1], 206.0 / 110.0)) < 3.0
    lasts = {round(r.ratio, 1): r.t60_s for r in rings[:2]}
    assert lasts[1.8] == pytest.approx(1.1, rel=0.05)
    assert lasts[1.9] == pytest.approx(0.4, rel=0.05)


def test_strokes_agree_on_a_ring_though_one_is_cut_short() -> None:
    one = low_of([Partial(110.0, 1.2, 0.5), Partial(180.0, 0.5, 0.2)], 40.0)
    low = np.concatenate([one, one])
    again = StrokeSpan(len(one) / LOW_RATE_HZ + AT_S, 0.16)
    rings = voice_ring(low, [STROKE, again], 110.0)
    assert abs(cents(rings[0].ratio, 180.0 / 110.0)) < 5.0
