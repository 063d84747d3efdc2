"""The card of a planned drum: rendered from the model, measured like a recording.

Conventions
-----------
Pitch (settled, as a recording's is), bend and sustain come straight from the model; the broadband
quantities from rendered medium strokes measured by the code that measures recordings, so that both
cards mean the same. Their uncertainty is that of the model's assumptions about stroke,
microphone and wires.
"""

from dataclasses import replace

import numpy as np

from emblar.core.acoustics.forward import Prediction
from emblar.core.analysis.card.envelope import stroke_shape
from emblar.core.analysis.card.overtones import voice_ring
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.analysis.signal.low_band import StrokeSpan, low_band
from emblar.core.quantities import Measured
from emblar.core.synthesis.stroke import Voice, drum_voice, render_stroke

LEAD_S = 0.1
RENDER_S = 2.0
RING_RENDER_S = 0.5
STROKES = 8
ONSET_RENDER_S = 0.13
SEED = 7
ASSUMED_SD = {"attack": 2.5, "body": 2.0, "ring": 5.0, "wires": 4.0}
CLICK_SD_SHARE = 0.35
LENGTH_SD_SHARE = 0.30


def planned_stroke(prediction: Prediction, kind: str) -> Samples:
    """Return one medium stroke of the planned drum at ``ANALYSIS_RATE_HZ``, shape (n,)."""
    rng = np.random.default_rng(SEED)
    return render_stroke(
        drum_voice(prediction, kind),
        sample_rate_hz=ANALYSIS_RATE_HZ,
        force=1.0,
        rng=rng,
        length_s=RENDER_S,
    )


def _settled(prediction: Prediction, hz: float) -> Measured:
    return Measured(hz, prediction.drum_pitch.sd * hz / prediction.drum_pitch.value, "Hz")


def _in_silence(stroke: Samples) -> Samples:
    lead = np.zeros(round(LEAD_S * ANALYSIS_RATE_HZ))
    return np.concatenate([lead, stroke, np.zeros(ANALYSIS_RATE_HZ // 2)])


def _mean_onset(voice: Voice, pitch_hz: float) -> tuple[float | None, float | None]:
    """Return click in Hz and attack in dB, the mean over several strokes.

    The beater's burst is a noise of a few milliseconds: one stroke's click alone is half a step
    off what the drum does on the whole.
    """
    rng = np.random.default_rng(SEED)
    shapes = []
    modes, noises = replace(voice, noises=()), replace(voice, partials=())
    rung = _onset_of(modes, rng)
    for _ in range(STROKES):
        burst = _onset_of(noises, rng)
        size = min(len(rung), len(burst))
        one = np.concatenate([rung[:size] + burst[:size], rung[size:], burst[size:]])
        shapes.append(stroke_shape(_in_silence(one), LEAD_S, pitch_hz, ONSET_RENDER_S))
    clicks = [s.click_hz for s in shapes if s.click_hz is not None]
    attacks = [s.attack_db for s in shapes if s.attack_db is not None]
    return (
        float(np.mean(clicks)) if clicks else None,
        float(np.mean(attacks)) if attacks else None,
    )


def _onset_of(voice: Voice, rng: np.random.Generator) -> Samples:
    return render_stroke(
        voice, sample_rate_hz=ANALYSIS_RATE_HZ, force=1.0, rng=rng, length_s=ONSET_RENDER_S
    )


def predicted_card(prediction: Prediction, kind: str) -> dict[str, Measured]:
    """Return the planned drum's quantities by the names of ``registry.toml``."""
    voice = drum_voice(prediction, kind)
    sound = _in_silence(planned_stroke(prediction, kind))
    pitch = prediction.drum_pitch.value
    available = RENDER_S - 0.05
    shape = stroke_shape(sound, LEAD_S, pitch, available)
    click_hz, attack_db = _mean_onset(voice, pitch)
    first = sound[: round((LEAD_S + RING_RENDER_S) * ANALYSIS_RATE_HZ)]
    rings = voice_ring(low_band(first), [StrokeSpan(LEAD_S, RING_RENDER_S - 0.05)], pitch)
    card = {
        "pitch": _settled(prediction, voice.settled_hz()),
        "bend": Measured(voice.measured_bend_cents(), prediction.bend_cents.sd, "ct"),
        "sustain": prediction.sustain,
    }
    measured = {
        "length": (shape.length_s, "s"),
        "attack": (attack_db, "dB"),
        "click": (click_hz, "Hz"),
        "body": (shape.body_db, "dB"),
        "ring": (rings[0].level_db if rings else None, "dB"),
        "wires": (shape.wires_db if kind == "snare" else None, "dB"),
    }
    for name, (value, unit) in measured.items():
        if value is None:
            continue
        sd = ASSUMED_SD.get(name)
        if sd is None:
            sd = abs(value) * (CLICK_SD_SHARE if name == "click" else LENGTH_SD_SHARE)
        card[name] = Measured(value, sd, unit)
    return card
