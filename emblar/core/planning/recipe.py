"""What a drum can be tuned to, and which relation of the heads a recipe is.

Conventions
-----------
Relations are named ``equal``, ``higher`` and ``lower``: the reso's lug pitch against the batter's.
"""

import math

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Drum, Film, Side, Tensions
from emblar.core.acoustics.forward import drum_pitch_hz
from emblar.core.acoustics.limits import papery_tension, stress_limits_pa
from emblar.core.drum import Relation
from emblar.core.errors import DrumError
from emblar.core.voices import VoiceName


def relation_of(semitones: float) -> Relation:
    """Return the name of an interval between the heads."""
    if semitones == 0.0:
        return "equal"
    return "higher" if semitones > 0.0 else "lower"


def workable_range_hz(drum: Drum, tensions: Tensions) -> tuple[float, float]:
    """Return the lowest and highest drum pitch in Hz of a drum with its heads.

    Between the papery tension and the caution stress or rod load, whichever head meets it first;
    both tensions keep their ratio.
    """
    k = prior_coefficients()
    lowest, highest = 0.0, math.inf
    pairs: tuple[tuple[Side, Film | None, float | None], ...] = (
        ("batter", drum.batter, tensions.batter_n_per_m),
        ("reso", drum.reso, tensions.reso_n_per_m),
    )
    for side, film, tension in pairs:
        if film is None or tension is None:
            continue
        bearable = min(
            stress_limits_pa(drum.kind, side, k)[0] * film.thickness_m,
            k["rod_caution"] * drum.rods / (2.0 * math.pi * drum.radius_m(k)),
        )
        lowest = max(lowest, papery_tension(drum.kind, drum.diameter_m, k) / tension)
        highest = min(highest, bearable / tension)
    ends = []
    for share in (lowest, max(highest, lowest)):
        reso = tensions.reso_n_per_m * share if tensions.reso_n_per_m is not None else None
        ends.append(drum_pitch_hz(drum, Tensions(tensions.batter_n_per_m * share, reso), k))
    return ends[0], ends[1]


def kind_of_voice(voice: str) -> str:
    """Return the kind of drum that plays a voice.

    Raises
    ------
    DrumError
        The voice is a hat or cymbal, which are not tuned.
    """
    if voice in ("hat", "cymbal"):
        raise DrumError(f"{voice}: hats and cymbals are noted, not tuned.")
    return VoiceName(voice).kind
