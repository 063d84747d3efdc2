"""A reading of a drum's pitch as a tone, next to the record's stroke: which note is it?"""

import numpy as np

from emblar.core.acoustics.damping import T60_FACTOR
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.errors import InputError
from emblar.core.planning.kit import check_range
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import Studio
from emblar.steps.listen.actions.recordings import analysed_record
from emblar.steps.match.actions.sound import record_strokes

STROKE_S = 0.8
GAP_S = 0.25
FADE_S = 0.05
TIMES = 2
USUAL_T60_S = 0.6
SHORTEST_T60_S = 0.35
LONGEST_T60_S = 2.0
"""How long the tone rings where the drum's own decay was not read, and within which it stays."""


def reading_sound(studio: Studio, session_id: int, voice: str, hz: float) -> bytes:
    """Return a stroke of the record and a tone of a pitch with its decay, in turn, as WAV.

    Raises
    ------
    InputError
        Nothing was analysed, or the record has no stroke of this drum that can be heard alone.
    DrumError
        The pitch is none of a drum.
    """
    check_range("drum_pitch_hz", hz)
    result = analysed_record(studio, session_id)
    card = result.voice(voice) if result is not None else None
    if result is None or card is None:
        raise InputError("There is no such drum on the record.")
    stroke = max(record_strokes(result, voice), key=lambda s: float(np.abs(s).max()))
    stroke = stroke[: round(STROKE_S * ANALYSIS_RATE_HZ)].copy()
    fade = min(round(FADE_S * ANALYSIS_RATE_HZ), len(stroke))
    stroke[len(stroke) - fade :] *= np.linspace(1.0, 0.0, fade)
    t60 = float(np.clip(card.decay_s or USUAL_T60_S, SHORTEST_T60_S, LONGEST_T60_S))
    time = np.arange(round(STROKE_S * ANALYSIS_RATE_HZ)) / ANALYSIS_RATE_HZ
    tone = np.sin(2.0 * np.pi * hz * time) * np.exp(-T60_FACTOR * time / t60)
    tone *= np.minimum(time / 0.005, 1.0) * np.minimum((time[-1] - time) / FADE_S, 1.0)
    tone *= float(np.abs(stroke).max())
    gap = np.zeros(round(GAP_S * ANALYSIS_RATE_HZ))
    return wav_bytes(np.concatenate([stroke, gap, tone, gap] * TIMES), ANALYSIS_RATE_HZ)
