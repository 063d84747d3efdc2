"""Kits of the drum model: what Emblar renders of a plan must be told as drums, too.

Conventions
-----------
Makers as in ``sounds``; sizes, films, lug pitches and dampers are drawn over what players use.
"""

import numpy as np

from emblar.core.acoustics.drum import (
    METRES_PER_INCH,
    METRES_PER_MIL,
    Drum,
    Film,
    Kind,
    PlacedDamper,
)
from emblar.core.acoustics.forward import predict
from emblar.core.synthesis.stroke import Voice, drum_voice, render_stroke
from training.sounds import RATE, Maker, Sound, log_uniform

INCHES = {"kick": (18, 20, 22, 24), "snare": (13, 14), "tom": (8, 10, 12, 13, 14, 16, 18)}
LUG_HZ_INCHES = {"kick": (1300.0, 2700.0), "snare": (3200.0, 5600.0), "tom": (1300.0, 3000.0)}
"""Lug pitch times diameter, batter."""
RESO_OVER_BATTER = (0.85, 1.35)
PLIES_MIL = ((10.0,), (7.0, 7.0), (7.5,), (12.0,), (7.0, 10.0))
DAMPER_KG_PER_S = {"kick": (2.0, 25.0), "snare": (0.1, 6.0), "tom": (0.1, 6.0)}
STROKE_S = 1.6
USUAL_OVER = 1.5
"""Length of a stroke; force of the model's, whose medium is 1, over that of ours."""


def model_drum(rng: np.random.Generator, kind: Kind) -> tuple[Maker, float]:
    """Draw a drum of the model; return its maker, which renders as the product does, and its Hz."""
    voice = drawn_voice(rng, kind)
    seed = int(rng.integers(1 << 30))

    def stroke(force: float) -> Sound:
        out = render_stroke(
            voice,
            sample_rate_hz=RATE,
            force=USUAL_OVER * force,
            rng=np.random.default_rng(seed),
            length_s=STROKE_S,
        )
        return np.asarray(force**1.2 * out / (np.abs(out).max() + 1e-9), np.float32)

    return stroke, voice.settled_hz()


def drawn_voice(rng: np.random.Generator, kind: Kind) -> Voice:
    """Draw a drum of the model and return what sounds of it."""
    inches = float(rng.choice(INCHES[kind]))
    plies = PLIES_MIL[int(rng.integers(len(PLIES_MIL)))]
    batter = Film(
        tuple(p * METRES_PER_MIL for p in plies),
        coated=bool(rng.random() < 0.5),
        ring=bool(rng.random() < 0.2),
    )
    reso = Film(((3.0 if kind == "snare" else 10.0) * METRES_PER_MIL,))
    depth = {"kick": rng.uniform(14, 18), "snare": rng.uniform(5, 8), "tom": 0.75 * inches}[kind]
    damper = PlacedDamper(
        "batter", float(rng.uniform(0.6, 0.9)), log_uniform(rng, *DAMPER_KG_PER_S[kind]), 0.01
    )
    drum = Drum(
        kind,
        inches * METRES_PER_INCH,
        depth * METRES_PER_INCH,
        8 if kind != "tom" else 6,
        batter,
        reso,
        dampers=(damper,),
    )
    lug = rng.uniform(*LUG_HZ_INCHES[kind]) / inches
    return drum_voice(predict(drum, lug, lug * rng.uniform(*RESO_OVER_BATTER)), kind)
