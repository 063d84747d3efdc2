"""Drums out of a mix, and each drum out of the drums.

Conventions
-----------
Samples are float of shape (n, channels) at any rate. Parts add up to what was given: the masks of
``separate`` share every bin out, so ``drums + rest`` is the recording, and the voices and their
leftover are the drums. A *separator* is anything that turns samples into drums and rest. What is
separated is listened to and played against; strokes are found and measured on the recording
itself.

Every drum has a convolutive template (magnitude over the time after its stroke), the median over
the recording's own clean strokes, and sounds at its strokes only; the rest is what changes slowly:
the median over time of each bin. Both together give Wiener masks.

Source: Smaragdis 2004 (convolutive templates); FitzGerald 2010 (median filter); Wiener masks.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter
from scipy.signal import ShortTimeFFT
from scipy.signal.windows import hann

from emblar.core.analysis.card.clean import AnalysedHit

Array = NDArray[np.floating]
Spectrum = NDArray[np.complexfloating]
WINDOW_S = 0.046
OVERLAP = 4
"""Window of the transform, s, and how many overlap."""
TEMPLATE_S = 0.45
"""Length of a voice's template, s."""
REST_S = 0.30
"""What does not change over this long is not the drums', s."""
BLOCK_S = 20.0
"""Length of what is separated at once, s."""
MOST_STROKES = 24
"""Strokes of which a template is the median."""
TINY = 1e-12
"""Power that is nothing."""


@dataclass(frozen=True, slots=True)
class Parts:
    """A recording shared out: drums and rest, each of shape (n, channels)."""

    drums: Array
    rest: Array


Magnitude = NDArray[np.float32]
Templates = dict[str, Magnitude]
"""What each voice adds: magnitude per bin and frame after the stroke, for a stroke of 0 dB."""


@dataclass(frozen=True, slots=True)
class _Block:
    """A stretch of the recording as a spectrum, overlapping its neighbours."""

    spectrum: Spectrum
    magnitude: Magnitude
    first: int
    stop: int
    keep: tuple[int, int]
    zero_s: float
    """Time of frame 0, s."""
    frames_per_s: float

    def frame(self, time_s: float) -> int:
        """Return the frame nearest to a time in s."""
        return round((time_s - self.zero_s) * self.frames_per_s)


def _transform(rate: int) -> ShortTimeFFT:
    size = 1 << round(np.log2(WINDOW_S * rate))
    window = np.sqrt(hann(size, sym=False))
    return ShortTimeFFT(window, size // OVERLAP, rate, fft_mode="onesided")


def _blocks(samples: Array, transform: ShortTimeFFT) -> Iterator[_Block]:
    """Cut into overlapping blocks, so that memory does not grow with length."""
    rate = round(transform.fs)
    size, margin = int(BLOCK_S * rate), int((TEMPLATE_S + REST_S) * rate)
    frames_per_s = rate / transform.hop
    for start in range(0, len(samples), size):
        stop = min(start + size, len(samples))
        first, last = max(start - margin, 0), min(stop + margin, len(samples))
        spectrum = transform.stft(samples[first:last].T)
        magnitude = np.sqrt((np.abs(spectrum) ** 2).sum(axis=0)).astype(np.float32)
        # The first frames are centred before the block's first sample.
        zero_s = first / rate + transform.p_min / frames_per_s
        yield _Block(spectrum, magnitude, first, last, (start, stop), zero_s, frames_per_s)


def _write(out: Array, block: _Block, mask: Magnitude, transform: ShortTimeFFT) -> None:
    length = block.stop - block.first
    sound = np.real(transform.istft(block.spectrum * mask, k1=length)).T[:length]
    start, stop = block.keep
    out[start:stop] = sound[start - block.first : stop - block.first]


def learn(samples: Array, transform: ShortTimeFFT, hits: Sequence[AnalysedHit]) -> Templates:
    """Learn the template of every voice from its strokes, the clean and loud ones first.

    Parameters
    ----------
    samples
        Drums, shape (n, channels).
    transform
        The short-time transform that templates are learned in.
    hits
        The strokes of the recording, ascending.
    """
    chosen = _best_strokes(hits)
    rows: dict[str, list[Magnitude]] = {voice: [] for voice in chosen}
    for block in _blocks(samples, transform):
        start, stop = (edge / transform.fs for edge in block.keep)
        length = int(TEMPLATE_S * block.frames_per_s)
        for voice, voice_hits in chosen.items():
            for hit in voice_hits:
                if not start <= hit.time_s < stop:
                    continue
                first = block.frame(hit.time_s)
                after = block.magnitude[:, first : first + length]
                if first < 4 or after.shape[1] < length:
                    continue
                before = block.magnitude[:, first - 4 : first - 1].min(axis=1, keepdims=True)
                added = np.sqrt(np.maximum(after**2 - before**2, 0.0))
                rows[voice].append(added * np.float32(10.0 ** (-hit.level_db / 20.0)))
    return {
        voice: np.median(result, axis=0).astype(np.float32)
        for voice, result in rows.items()
        if result
    }


def _best_strokes(hits: Sequence[AnalysedHit]) -> dict[str, list[AnalysedHit]]:
    chosen = {}
    for voice in sorted({h.voice for h in hits}):
        voice_hits = [h for h in hits if h.voice == voice]
        clean = [h for h in voice_hits if h.clean] or voice_hits
        chosen[voice] = sorted(clean, key=lambda h: -h.level_db)[:MOST_STROKES]
    return chosen


def _sounding(
    templates: Templates, hits: Sequence[AnalysedHit], block: _Block
) -> dict[str, Magnitude]:
    """Return each voice's magnitude in a block as its template at its strokes gives it."""
    out = {v: np.zeros_like(block.magnitude) for v in templates}
    for hit in hits:
        template = templates.get(hit.voice)
        if template is None:
            continue
        first = block.frame(hit.time_s)
        if not -template.shape[1] < first < block.magnitude.shape[1]:
            continue
        skip, start = max(-first, 0), max(first, 0)
        stop = min(first + template.shape[1], block.magnitude.shape[1])
        piece = template[:, skip : skip + stop - start] * np.float32(10.0 ** (hit.level_db / 20.0))
        total = out[hit.voice][:, start:stop]
        np.maximum(total, piece, out=total)
    return out


class TemplateSeparator:
    """Separates by templates learned from the recording's own strokes."""

    def __init__(self, hits: Sequence[AnalysedHit]) -> None:
        self.hits = tuple(hits)

    def separate(self, samples: Array, sample_rate_hz: int) -> Parts:
        """Return drums and rest of samples of shape (n, channels); they add up to the samples."""
        transform = _transform(sample_rate_hz)
        templates = learn(samples, transform, self.hits)
        drums = np.zeros_like(samples)
        for block in _blocks(samples, transform):
            sounding = _sounding(templates, self.hits, block)
            drum = sum((s**2 for s in sounding.values()), np.zeros_like(block.magnitude))
            size = max(3, int(REST_S * block.frames_per_s) | 1)
            rest = median_filter(block.magnitude, size=(1, size), mode="nearest")
            mask = drum / (drum + rest**2 + TINY)
            _write(drums, block, mask, transform)
        return Parts(drums, samples - drums)


def separate_voices(
    drums: Array, sample_rate_hz: int, hits: Sequence[AnalysedHit], *, only: str | None = None
) -> dict[str, Array]:
    """Return each voice of drums alone, and under ``"leftover"`` what no voice explains.

    With ``only`` that voice by itself, if it can be told, which takes far less time.

    Parameters
    ----------
    drums
        Drums alone, shape (n, channels).
    sample_rate_hz
        Sample rate, Hz.
    hits
        The strokes of the recording, ascending.
    only
        If given, only this voice.
    """
    transform = _transform(sample_rate_hz)
    templates = learn(drums, transform, hits)
    out = {voice: np.zeros_like(drums) for voice in templates if only in (None, voice)}
    for block in _blocks(drums, transform):
        sounding = _sounding(templates, hits, block)
        total = sum((s**2 for s in sounding.values()), np.full_like(block.magnitude, TINY))
        explained = np.minimum(2.0 * total / (block.magnitude**2 + TINY), 1.0)
        for voice, alone in out.items():
            _write(alone, block, sounding[voice] ** 2 / total * explained, transform)
    if only is None:
        out["leftover"] = drums - sum(out.values(), np.zeros_like(drums))
    return out
