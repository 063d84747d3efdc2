"""A snare's wires by a soft tap: whether they speak, at once or late, and how long they rustle.

Conventions
-----------
Works on a mono tap in the middle, wires on, at any level. The head is heard below 1 kHz, the wires
from 3 to 9 kHz once the stick's click is over. Lengths are until 20 dB under the loudest.
"""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, sosfiltfilt

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.catalogue import Catalogue
from emblar.core.errors import BadAudioError
from emblar.core.tuning.parameters import parameter

Samples = NDArray[np.float64]
Verdict = Literal["silent", "late", "long", "speaks", "cannot tell"]
HEAD_HZ = (100.0, 1000.0)
WIRES_HZ = (3000.0, 9000.0)
FRAME_S = 0.002
LOOKED_S = 1.2
DROP_DB = 20.0


@dataclass(frozen=True, slots=True)
class WiresHeard:
    """What a soft tap tells.

    Parameters
    ----------
    verdict
        ``"silent"``: they do not answer; ``"late"``: a second sound; ``"long"``: the rustle
        outlasts the drum; ``"speaks"``: with the head and no longer than it.
    head_s, rustle_s
        How long head and wires sound; None where it cannot be told.
    late_ms
        How long after the stick the wires come, where they come late.
    level_db
        The wires over the head.
    setting
        Which setting of the wires rustles about so long by the model, None if none was heard.
    """

    verdict: Verdict
    head_s: float | None
    rustle_s: float | None
    late_ms: float | None
    level_db: float | None
    setting: str | None = None


def read_wires(catalogue: Catalogue, samples: Samples, rate_hz: int) -> WiresHeard:
    """Return what a soft tap tells of a snare's wires.

    Raises
    ------
    BadAudioError
        There is no tap, or it is cut off.
    """
    head, wires = (_frames(samples, rate_hz, band) for band in (HEAD_HZ, WIRES_HZ))
    if not len(head) or head.max() <= 0.0:
        raise BadAudioError("There is no tap in this. Tap the middle softly, wires on.")
    top = int(np.argmax(head))
    start = top
    while start > 0 and head[start - 1] > 0.01 * head[top]:
        start -= 1
    if len(head) - start < parameter("wires_least") / FRAME_S:
        raise BadAudioError("This ends too soon after the tap. Let it ring out for half a second.")
    stop = min(len(head), start + round(LOOKED_S / FRAME_S))
    head, before, wires = head[start:stop], wires[:start], wires[start:stop]
    # The quiet before the tap, or what is left at the end.
    floor = float(np.median(before)) if len(before) > 20 else float(np.median(wires[-25:]))
    skip = round(parameter("wires_after_stick") / FRAME_S)
    loudest = float(wires[skip : skip + 12].max())
    level_db = 10.0 * math.log10(max(loudest, 1e-20) / head.max())
    head_s = _length(head, head.max())
    if loudest < floor * 10.0 ** (parameter("wires_over_floor") / 10.0):
        quiet = 10.0 * math.log10(max(floor, 1e-20) / head.max())
        known: Verdict = "silent" if quiet < parameter("wires_silent") else "cannot tell"
        return WiresHeard(known, head_s, None, None, None)
    if level_db < parameter("wires_silent"):
        return WiresHeard("silent", head_s, None, None, level_db)
    rustle_s = _length(wires, loudest, skip)
    late_ms = _late_ms(wires, skip)
    setting = _setting(catalogue, wires, skip, rustle_s) if rustle_s is not None else None
    if late_ms is not None:
        return WiresHeard("late", head_s, rustle_s, late_ms, level_db, setting)
    if head_s is None or rustle_s is None:
        return WiresHeard("cannot tell", head_s, rustle_s, None, level_db, setting)
    outlasts = rustle_s > parameter("wires_outlast") * head_s
    verdict: Verdict = "long" if outlasts else "speaks"
    return WiresHeard(verdict, head_s, rustle_s, None, level_db, setting)


def _setting(catalogue: Catalogue, wires: Samples, skip: int, rustle_s: float) -> str | None:
    """Return the setting of the wires whose rustle falls about as fast."""
    piece = wires[skip : round(rustle_s / FRAME_S)]
    if len(piece) < 8:
        return None
    time = np.arange(len(piece)) * FRAME_S
    slope = float(np.polyfit(time, 10.0 * np.log10(piece + 1e-20), 1)[0])
    if slope >= 0.0:
        return None
    t60_s, usual_s = -60.0 / slope, prior_coefficients()["wires_t60"]
    sounding = [row for row in catalogue.wire_settings.values() if row.level > 0.0]
    return str(min(sounding, key=lambda row: abs(math.log(t60_s / (usual_s * row.length)))).id)


def _frames(samples: Samples, rate_hz: int, band_hz: tuple[float, float]) -> Samples:
    """Return the power of a band in frames of ``FRAME_S``, smoothed over three."""
    if len(samples) < rate_hz // 10:
        return np.zeros(0)
    high = min(band_hz[1], 0.45 * rate_hz)
    sos = butter(3, (band_hz[0], high), btype="bandpass", fs=rate_hz, output="sos")
    filtered = sosfiltfilt(sos, samples)
    size = round(FRAME_S * rate_hz)
    count = len(filtered) // size
    power = (filtered[: count * size].reshape(count, size) ** 2).mean(axis=1)
    return np.asarray(np.convolve(power, np.ones(3) / 3.0, mode="same"))


def _length(power: Samples, loudest: float, first: int = 0) -> float | None:
    """Return when power last is within ``DROP_DB`` of its loudest, s; None if it never falls."""
    above = np.flatnonzero(power[first:] > loudest * 10.0 ** (-DROP_DB / 10.0))
    if not len(above) or first + above[-1] >= len(power) - 2:
        return None
    return float((first + above[-1] + 1) * FRAME_S)


def _late_ms(wires: Samples, skip: int) -> float | None:
    """Return when a second rise of the wires comes, ms after the tap; None if there is none."""
    ends = skip + round(parameter("wires_late_most") / FRAME_S)
    piece = wires[:ends]
    click = int(np.argmax(piece[: max(skip, 1)]))
    dip = click + int(np.argmin(piece[click:]))
    after = piece[dip:]
    if len(after) < 3:
        return None
    peak = dip + int(np.argmax(after))
    rise = 10.0 * math.log10(max(float(piece[peak]), 1e-20) / max(float(piece[dip]), 1e-20))
    if rise < parameter("wires_late_rise") or peak <= skip:
        return None
    # They have come once they are within 6 dB of their loudest.
    come = dip + int(np.argmax(after >= 0.25 * piece[peak]))
    return 1000.0 * come * FRAME_S
