"""What every stage listens to, made once: the sound, its bands, and who else plays.

Conventions
-----------
Times are of ``mono``, which begins at sample ``begins`` of the recording: silence before it is left
out. The *side* is that of a stereo recording in which others are taken to play, else there is none.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.signal.audio import (
    ANALYSIS_RATE_HZ,
    Audio,
    Samples,
    begins_at,
    from_sample,
    one_channel,
    side,
)
from emblar.core.analysis.signal.low_band import low_band

Array = NDArray[np.float64]
SourceKind = Literal["auto", "mix", "drums", "hit"]


@dataclass(frozen=True, slots=True)
class Accompaniment:
    """Whether instruments other than drums play on between strokes.

    Parameters
    ----------
    taken
        Whether they are taken to play: said to, or heard where nothing was said. Then a drum is
        measured for what its strokes have in common, and the side of a stereo mix is listened to.
    heard
        Whether they are heard, unless drums alone were brought: then strokes are told apart as
        under a backing. A recording brought as a mix may have nothing between its strokes.
    """

    taken: bool = False
    is_audible: bool = False

    @classmethod
    def of(cls, kind: str, *, audible: bool) -> "Accompaniment":
        """Return what is made of what a recording was brought as, and of what is heard in it."""
        return cls(
            taken=kind == "mix" or (kind == "auto" and audible),
            is_audible=audible and kind != "drums",
        )


ALONE = Accompaniment()
ACCOMPANIED = Accompaniment(taken=True, is_audible=True)
"""Drums by themselves, and under others that are heard."""


@dataclass(frozen=True, slots=True)
class Scene:
    """A recording as it is listened to.

    Parameters
    ----------
    mono
        At ``ANALYSIS_RATE_HZ``, from ``begins`` on.
    lows
        Low bands (``low_band``): of the middle, and of the side if there is one.
    side
        The side of a stereo recording in which others play, or None.
    accompaniment
        Who else plays.
    begins
        First sample of the recording that is listened to.
    duration_s
        From there to the recording's end, s.
    """

    mono: Samples
    lows: tuple[Array, ...]
    side: Samples | None
    accompaniment: Accompaniment
    begins: int
    duration_s: float


def first_sound(audio: Audio) -> tuple[Samples, int]:
    """Return one channel of a recording from its first sound on, and which sample that is."""
    whole = one_channel(audio)
    first = begins_at(whole)
    return from_sample(whole, first), first


def scene_of(audio: Audio, mono: Samples, begins: int, accompaniment: Accompaniment) -> Scene:
    """Return a recording as it is listened to.

    Parameters
    ----------
    audio
        All of it.
    mono, begins
        One channel of it from sample ``begins`` on (``first_sound``).
    accompaniment
        Who else plays.
    """
    other = side(audio) if accompaniment.taken else None
    other = from_sample(other, begins) if other is not None else None
    lows = tuple(low_band(sound) for sound in (mono, other) if sound is not None)
    return Scene(
        mono, lows, other, accompaniment, begins, audio.duration_s - begins / ANALYSIS_RATE_HZ
    )
