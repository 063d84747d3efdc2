"""The sound card of one voice: the same quantities for every drum, each with its uncertainty.

Conventions
-----------
Pitches in Hz, uncertainties of pitches in cents, times in s. Quantities that a hat or cymbal does
not have are ``Unknown`` with the reason. A *clean* stroke has no other drum in its measuring span,
is within 15 dB of the voice's loudest, and is not clipped.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.audio import Samples
from emblar.core.analysis.pitch import (
    SETTLE_SHORT_S,
    SETTLE_TOM_S,
    StrokePitch,
    Track,
    stroke_pitch,
)
from emblar.core.analysis.robust import centre_and_spread, combined
from emblar.core.analysis.shape import StrokeShape, stroke_shape
from emblar.core.notes import cents
from emblar.core.quantities import Measured, Quantity, Unknown

Array = NDArray[np.float64]
MOST_STROKES = 16
NO_CLEAN = "no stroke is clean enough: others sound over every one of them"
NOT_TOLD = "every stroke is cut off by the next one before this can be read"
NO_PITCH = "hats and cymbals have no single pitch"
PITCH_FLOOR_CENTS = 70.0
"""Method's own error of a pitch in cents, times periods seen: 70 ct over (Hz · span in s)."""


@dataclass(frozen=True, slots=True)
class CleanStroke:
    """A stroke fit for measuring: when, and how long it stays undisturbed (drums, anything)."""

    time_s: float
    drum_gap_s: float
    any_gap_s: float


@dataclass(frozen=True, slots=True)
class VoiceCard:
    """What is known of one voice."""

    voice: str
    hits: int
    clean_hits: int
    fundamental: Quantity
    fundamental_sd_cents: float | None
    fundamental_spread_cents: float | None
    onset: Quantity
    glide_cents: Quantity
    decay: Quantity
    length: Quantity
    attack: Quantity
    click: Quantity
    body: Quantity
    ring: Quantity
    ring_ratio: Quantity
    wires: Quantity
    level: Quantity
    tracks: tuple[Track, ...] = ()


def measure_voice(
    voice: str,
    mono: Samples,
    low: Array,
    clean: Sequence[CleanStroke],
    *,
    expected_hz: float | None,
    levels_db: Sequence[float],
) -> VoiceCard:
    """Measure one voice from its clean strokes.

    Parameters
    ----------
    voice
        Name of the voice.
    mono, low
        The recording at the analysis rate, and its low band.
    clean
        The clean strokes.
    expected_hz
        Where the fundamental is expected; None for hats and cymbals.
    levels_db
        Level of every stroke of the voice, clean or not.
    """
    tom = voice.startswith("tom")
    chosen = list(clean)[:MOST_STROKES]
    pitches: list[StrokePitch] = []
    if expected_hz is not None:
        pitches = [stroke_pitch(low, s.time_s, expected_hz, s.drum_gap_s, tom=tom) for s in chosen]
    settled = [p.settled_hz for p in pitches]
    first, last = SETTLE_TOM_S if tom else SETTLE_SHORT_S
    span = last - first
    fundamental, sd_cents, spread = _fundamental(settled, bool(chosen), expected_hz, span)
    known = fundamental.value if isinstance(fundamental, Measured) else None
    shapes = [stroke_shape(mono, s.time_s, known, s.any_gap_s) for s in chosen]
    glides = [
        cents(p.onset_hz, p.settled_hz) if p.onset_hz and p.settled_hz else None for p in pitches
    ]
    why = NO_PITCH if expected_hz is None else (NOT_TOLD if chosen else NO_CLEAN)
    cut = NOT_TOLD if chosen else NO_CLEAN
    onset_hz = [p.onset_hz for p in pitches]
    told_decays = [p.t60_s for p in pitches]
    scale = centre_and_spread([d for d in told_decays if d])[0] if any(told_decays) else 0.0
    return VoiceCard(
        voice=voice,
        hits=len(levels_db),
        clean_hits=len(chosen),
        fundamental=fundamental,
        fundamental_sd_cents=sd_cents,
        fundamental_spread_cents=spread,
        onset=combined(onset_hz, "Hz", floor=0.01 * (known or 0), lone=0.02 * (known or 0),
                       reason=why),
        glide_cents=combined(glides, "ct", floor=8.0, lone=20.0, reason=why),
        decay=combined(told_decays, "s", floor=0.05 * scale, lone=0.15 * scale, reason=why),
        **_shape_quantities(shapes, pitches, cut=cut, why=why, snare=voice == "snare"),
        level=combined(levels_db, "dB", floor=0.2, lone=1.0, reason=NO_CLEAN),
        tracks=tuple(p.track for p in pitches if len(p.track.time_s)),
    )  # fmt: skip


def _fundamental(
    settled: list[float | None], any_clean: bool, expected_hz: float | None, span_s: float
) -> tuple[Quantity, float | None, float | None]:
    if expected_hz is None:
        return Unknown(NO_PITCH), None, None
    told = [f for f in settled if f is not None]
    if not told:
        return Unknown(NOT_TOLD if any_clean else NO_CLEAN), None, None
    middle = float(np.median(told))
    offsets = [cents(f, middle) for f in told]
    floor = PITCH_FLOOR_CENTS / (middle * span_s)
    quantity = combined(offsets, "ct", floor=floor, lone=15.0, reason=NOT_TOLD)
    assert isinstance(quantity, Measured)
    _, spread = centre_and_spread(offsets)
    sd_hz = middle * (2.0 ** (quantity.sd / 1200.0) - 1.0)
    return Measured(middle, sd_hz, "Hz"), quantity.sd, spread


def _shape_quantities(
    shapes: list[StrokeShape], pitches: list[StrokePitch], *, cut: str, why: str, snare: bool
) -> dict[str, Quantity]:
    def of(values: list[float | None], unit: str, floor: float, lone: float, no: str) -> Quantity:
        return combined(values, unit, floor=floor, lone=lone, reason=no)

    wires: Quantity = Unknown("only a snare has wires")
    if snare:
        wires = of([s.wires_db for s in shapes], "dB", 0.7, 2.0, cut)
    clicks = of([s.click_hz for s in shapes], "Hz", 80.0, 300.0, cut)
    return {
        "length": of([s.length_s for s in shapes], "s", 0.01, 0.05, cut),
        "attack": of([s.attack_db for s in shapes], "dB", 0.5, 1.5, cut),
        "click": clicks,
        "body": of([s.body_db for s in shapes], "dB", 0.3, 1.0, why),
        "ring": of([p.overtone_db for p in pitches], "dB", 0.8, 2.5, why),
        "ring_ratio": of([p.overtone_ratio for p in pitches], "×", 0.01, 0.05, why),
        "wires": wires,
    }
