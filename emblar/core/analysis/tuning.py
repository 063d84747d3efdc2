"""Where a tom is tuned under other instruments, told by all of its strokes together.

Conventions
-----------
Under a backing the strongest peak is often another's, and hardly any stroke of a tom is undisturbed
until it has settled. A small network (``colours``) says of every stroke where its tom may be tuned,
as log chances at ``colours.at_hz``; their mean over strokes counts as ``WORTH_STROKES`` of them at
most, since what leads one astray leads others, too. A tuning is told if ``LEAST_WITHIN`` of all
chances lie about the likeliest and it is no less sure than ``MOST_CENTS``. Uncertainties are
standard deviations in cents.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.colours import Heard, at_hz
from emblar.core.notes import cents, shifted

Array = NDArray[np.float64]
USUAL_HZ, USUAL_OCTAVES, UNUSUAL, MOST_UNUSUAL = 104.0, 0.42, 0.13, 8.0
"""How the toms are tuned of which was learned, and how much is taken off what they say of it."""
FEWEST, WORTH_STROKES, ABOUT_CENTS, LEAST_WITHIN, MOST_CENTS = 2, 4, 200.0, 0.8, 95.0
EARLY_SHARP_CENTS, OWN_CENTS = 28.0, 45.0
"""How much sharper than settled a tom is heard so early, and how far this is off all the same: 31
ct in the median on 13 sampled kits under backings, whose toms bend long, none on model drums."""
TRACKED_CENTS = 60.0
"""How far the partial of a tom is off under a backing beside its own uncertainty (as above)."""
AGREEING_SD = 1.5


@dataclass(frozen=True, slots=True)
class Tuned:
    """A settled pitch in Hz and its uncertainty in cents."""

    hz: float
    sd_cents: float


def log_chances(pitches: Sequence[Array]) -> Array:
    """Return the mean of what strokes say, shape (SIZE,), of rows of log chances by channel.

    Every stroke says it with what is usual of toms in mind; together they would make too much of
    that, so that some of it is taken off.
    """
    told = np.mean([rows.mean(axis=0) for rows in pitches], axis=0)
    away = np.log2(at_hz() / USUAL_HZ) / USUAL_OCTAVES
    return np.asarray(told + UNUSUAL * np.minimum(away**2, MOST_UNUSUAL))


def tuned(heard: Sequence[Heard]) -> Tuned | None:
    """Return where the tom is tuned whose strokes are heard; None if they cannot tell.

    ``heard`` is what is heard of all its strokes in the middle of the mix and, if it is stereo, in
    its side.
    """
    count = len(heard[0].pitch)
    if count < FEWEST:
        return None
    told = log_chances([h.pitch for h in heard])
    chance = np.exp((told - told.max()) * min(count, WORTH_STROKES))
    # Above 1 Hz.
    at_cents = 1200.0 * np.log2(at_hz())
    about = np.abs(at_cents - at_cents[int(np.argmax(chance))]) <= ABOUT_CENTS
    within = chance * about
    if within.sum() < LEAST_WITHIN * chance.sum():
        return None
    weight = within / within.sum()
    middle = float(weight @ at_cents)
    spread = float(np.sqrt(weight @ (at_cents - middle) ** 2))
    hz, sd_cents = shifted(1.0, middle - EARLY_SHARP_CENTS), float(np.hypot(spread, OWN_CENTS))
    return Tuned(hz, sd_cents) if sd_cents <= MOST_CENTS else None


def weighed(own: Tuned, tracked: Tuned) -> Tuned | None:
    """Return both together, what all strokes say and the partial tracked; None if they disagree."""
    apart = cents(tracked.hz, own.hz)
    sd = float(np.hypot(tracked.sd_cents, TRACKED_CENTS))
    if abs(apart) > AGREEING_SD * float(np.hypot(sd, own.sd_cents)):
        return None
    share = own.sd_cents**2 / (own.sd_cents**2 + sd**2)
    return Tuned(shifted(own.hz, share * apart), sd * float(np.sqrt(share)))
