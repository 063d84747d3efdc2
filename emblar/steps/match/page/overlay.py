"""Record and take laid over one another: decay, pitch over time, spectrum."""

from collections.abc import Sequence

import numpy as np
from markupsafe import Markup

from emblar.core.matching.overlay import middle_curve
from emblar.core.notes import cents
from emblar.formats.analysis import VoiceFile
from emblar.steps.match.actions.sound import Spectra
from emblar.steps.match.drawing.overlay import Overlay, Points, overlay

DECAY_DB = -40.0
LEAST_S = 0.3
PITCH_S = 0.5
LOWEST_CENTS = -60.0
LEAST_HIGH_CENTS = 60.0
SPECTRUM_DB = 45.0
OCTAVES = ((50.0, "50"), (200.0, "200"), (1000.0, "1k"), (5000.0, "5k"))


def overlays(
    record: VoiceFile | None, take: VoiceFile | None, spectra: Spectra
) -> tuple[tuple[str, Markup], ...]:
    """Return the drawings that can be made of what both tell, each with its title."""
    result = [_spectrum(spectra)]
    if record is not None and take is not None and record.tracks and take.tracks:
        result = [*_decays(record, take), *_pitches(record, take), *result]
    return tuple((one.title, overlay(one)) for one in result)


def _points(curve: tuple[np.ndarray, np.ndarray]) -> Points:
    return [(float(x), float(y)) for x, y in zip(*curve, strict=True)]


def _decays(record: VoiceFile, take: VoiceFile) -> list[Overlay]:
    curves = [
        [(t.time_s, t.level_db) for t in card.tracks if t.level_db] for card in (record, take)
    ]
    if not all(curves):
        return []
    longest = max([LEAST_S, *(t[-1] for side in curves for t, _ in side if t)])
    first, second = (_points(middle_curve(side, longest)) for side in curves)
    ticks = [(share * longest, f"{share * longest:.1f}") for share in (0.0, 0.5, 1.0)]
    text = f"{_level(first)}, record; {_level(second)}, take; dB half a second after the stroke."
    return [
        Overlay(
            "over-decay",
            "The note dies away",
            first,
            second,
            (0.0, longest),
            (DECAY_DB, 0.0),
            ticks,
            "dB of the note, s after the stroke",
            text,
        )
    ]


def _level(points: Points) -> str:
    near = min(points, key=lambda p: abs(p[0] - 0.5), default=None)
    return f"{near[1]:.0f} dB" if near else "not told"


def _pitches(record: VoiceFile, take: VoiceFile) -> list[Overlay]:
    settled = record.fundamental_hz
    if settled is None:
        return []
    curves = [
        [(t.time_s, [cents(f, settled) for f in t.frequency_hz]) for t in card.tracks]
        for card in (record, take)
    ]
    first, second = (_points(middle_curve(side, PITCH_S)) for side in curves)
    values = [y for _, y in (*first, *second)]
    low, high = _range(values)
    ticks = [(s, f"{1000 * s:.0f}") for s in (0.0, 0.25, 0.5)]
    ends = [f"{side[-1][1]:+.0f} ct" if side else "not told" for side in (first, second)]
    return [
        Overlay(
            "over-pitch",
            "Pitch after the stroke",
            first,
            second,
            (0.0, PITCH_S),
            (low, high),
            ticks,
            "ct from the record's note, ms",
            f"At the end: record {ends[0]}, take {ends[1]}.",
        )
    ]


def _range(values: Sequence[float]) -> tuple[float, float]:
    return (
        min([LOWEST_CENTS, *(v - 10.0 for v in values)]),
        max([LEAST_HIGH_CENTS, *(v + 10.0 for v in values)]),
    )


def _spectrum(spectra: Spectra) -> Overlay:
    first, second = (_points(curve) for curve in (spectra.record, spectra.take))
    top = max(y for _, y in (*first, *second))
    apart = sorted(
        (
            (abs(a[1] - b[1]), a[0], b[1] - a[1])
            for a, b in zip(first, second, strict=True)
            if max(a[1], b[1]) > top - 25.0
        ),
        reverse=True,
    )
    text = (
        "Alike."
        if not apart
        else (
            f"Most apart at {apart[0][1]:.0f} Hz: the take {abs(apart[0][2]):.0f} dB "
            f"{'over' if apart[0][2] > 0 else 'under'} the record."
        )
    )
    return Overlay(
        "over-spectrum",
        "What it is made of",
        first,
        second,
        (first[0][0], first[-1][0]),
        (top - SPECTRUM_DB, top),
        OCTAVES,
        "dB of each sixth of an octave, Hz",
        text,
        log=True,
    )
