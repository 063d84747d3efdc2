"""The toms as a set: where their pitches come from, by the schools of the trade.

Conventions
-----------
Toms are given from high to low; pitches in Hz. ``record`` keeps what the record has; an interval
school keeps the lowest tom and goes up from it; ``key`` moves each tom to the nearest tone of the
song's triad; ``best`` takes each drum's own longest note within its workable range. Every pitch is
held inside its drum's range, and never above the tom before it.
"""

import math
import re
from collections.abc import Sequence
from typing import Literal

import numpy as np

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.forward import tensions_from_lug_pitches
from emblar.core.acoustics.inverse import lug_pitches_for
from emblar.core.catalogue import USUAL_STRIKER, USUAL_WIRES_SETTING, Catalogue
from emblar.core.errors import InputError
from emblar.core.notes import A4_HZ, cents, note_frequency_hz
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.outlook import Field
from emblar.core.planning.recipe import workable_range_hz

School = Literal["record", "thirds", "fourths", "fifths", "key", "best"]
INTERVALS: dict[str, float] = {"thirds": 4.0, "fourths": 5.0, "fifths": 7.0}
NOTES = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}
KEY = re.compile(r"^\s*([A-Ga-g])\s*([#♯b♭]?)\s*(m|min|minor|major|maj)?\s*$")
A4_NUMBER = 69.0
GRID = 25
MIDDLE_SHARE = 0.85
"""Each drum's best note is looked for in this share of its range, away from both ends."""


def tom_pitches_hz(
    catalogue: Catalogue,
    school: School,
    record_hz: Sequence[float | None],
    drums: Sequence[OwnedDrum],
    key: str,
) -> list[float]:
    """Return the pitch of each tom by a school.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    school
        Where the pitches come from.
    record_hz
        What the record has per tom, None where it cannot be told.
    drums
        The drums that play them, in the same order.
    key
        The song's key, as ``"F# minor"``; only for the school ``key``.

    Raises
    ------
    InputError
        The record does not tell a pitch that the school needs, or the key cannot be read.
    """
    ranges = [tom_range_hz(catalogue, drum) for drum in drums]
    if school == "best":
        result = [
            best_note_hz(catalogue, drum, span) for drum, span in zip(drums, ranges, strict=True)
        ]
    else:
        known = [_usable_hz(hz, drum) for hz, drum in zip(record_hz, drums, strict=True)]
        if school == "key":
            tones = triad(key)
            result = [_nearest_tone(hz, tones) for hz in known]
        elif school == "record":
            result = known
        else:
            step = 2.0 ** (INTERVALS[school] / 12.0)
            result = [known[-1] * step ** (len(known) - 1 - i) for i in range(len(known))]
    held = [float(np.clip(hz, *span)) for hz, span in zip(result, ranges, strict=True)]
    for i in range(1, len(held)):
        held[i] = min(held[i], held[i - 1])
    return held


def _usable_hz(hz: float | None, drum: OwnedDrum) -> float:
    if hz is None:
        raise InputError(
            f"{drum.name}: the record does not tell its pitch. Wish one by hand, or choose each "
            "drum's best note."
        )
    return hz


def tom_range_hz(catalogue: Catalogue, drum: OwnedDrum) -> tuple[float, float]:
    """Return the workable range in Hz of a tom with the heads that are on it, equal lug pitches."""
    k = prior_coefficients()
    built = model(catalogue, drum)
    lugs = lug_pitches_for(built, 1500.0 / drum.diameter_in, 0.0)
    return workable_range_hz(
        built, tensions_from_lug_pitches(built, lugs.batter_hz, lugs.reso_hz, k)
    )


def best_note_hz(catalogue: Catalogue, drum: OwnedDrum, range_hz: tuple[float, float]) -> float:
    """Return where within its range a drum sounds longest, heads as they are, equal lug pitches."""
    field = Field(
        catalogue,
        drum,
        [drum.batter],
        [drum.reso] if drum.reso else [],
        [()],
        [USUAL_STRIKER[drum.kind]],
        [USUAL_WIRES_SETTING],
        port_in=drum.port_in,
    )
    middle = math.sqrt(range_hz[0] * range_hz[1])
    half = 0.5 * math.log(range_hz[1] / range_hz[0]) * MIDDLE_SHARE
    pitches = middle * np.exp(np.linspace(-half, half, GRID))
    lengths = [float(field.outlook(field.grid([0.0]), hz).card["length"][0]) for hz in pitches]
    return float(pitches[int(np.argmax(lengths))])


def triad(key: str) -> tuple[int, int, int]:
    """Return root, third and fifth of a key as semitones above C.

    Raises
    ------
    InputError
        It is not a key.
    """
    match = KEY.match(key)
    if match is None:
        raise InputError(f"“{key}” is not a key: write it as C, F# minor or Bb major, in Brief.")
    letter, sign, mode = match.groups()
    root = NOTES[letter.lower()] + (1 if sign in ("#", "♯") else -1 if sign in ("b", "♭") else 0)
    third = 3 if mode in ("m", "min", "minor") else 4
    return root % 12, (root + third) % 12, (root + 7) % 12


def _nearest_tone(hz: float, tones: Sequence[int]) -> float:
    number = A4_NUMBER + cents(hz, A4_HZ) / 100.0
    near = [12 * octave + tone for octave in range(11) for tone in tones]
    best = min(near, key=lambda tone: abs(tone - number))
    return note_frequency_hz(best)
