"""Where a tom is tuned under other instruments, told by all of its strokes together.

Conventions
-----------
Under a backing the strongest peak is often another's, and hardly any stroke of a tom is undisturbed
until it has settled. A small network (``embedding``) says of every stroke where its tom may be
tuned, as log chances at ``embedding.at_hz``; their mean over strokes counts as ``WORTH_STROKES`` of
them at most, since what leads one astray leads others, too. A tuning is told if ``LEAST_WITHIN`` of
all chances lie about the likeliest and it is no less sure than ``MOST_CENTS``. Uncertainties are
standard deviations in cents.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, permutations

import numpy as np
from numpy.typing import NDArray
from scipy.special import softmax

from emblar.core.analysis.voices.embedding import Heard, at_hz
from emblar.core.notes import cents, shifted

Array = NDArray[np.float64]
USUAL_HZ = 104.0
USUAL_OCTAVES = 0.42
UNUSUAL = 0.13
MOST_UNUSUAL = 8.0
"""How the toms are tuned of which was learned, and how much is taken off what they say of it."""
FEWEST = 2
WORTH_STROKES = 4
ABOUT_CENTS = 200.0
LEAST_WITHIN = 0.8
MOST_CENTS = 95.0
"""Strokes that tell a tuning; how many independent ones they are worth at most; how far round the
likeliest is about it, cents; the chance that must lie there; and how unsure it may be, cents."""
EARLY_SHARP_CENTS = 28.0
OWN_CENTS = 45.0
"""How much sharper than settled a tom is heard so early, and how far this is off all the same: 31
ct in the median on 13 sampled kits under backings, whose toms bend long, none on model drums."""
TRACKED_CENTS = 60.0
"""How far the partial of a tom is off under a backing over its own uncertainty (as above)."""
AGREEING_SD = 1.5
"""Strokes and partial agree within so many standard deviations."""
LEAST_CHANCE = 0.02
"""However sure one tom seems tuned above another, the chance that it is not."""


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
    known = np.mean([rows.mean(axis=0) for rows in pitches], axis=0)
    away = np.log2(at_hz() / USUAL_HZ) / USUAL_OCTAVES
    return np.asarray(known + UNUSUAL * np.minimum(away**2, MOST_UNUSUAL))


def high_to_low(toms: Sequence[Sequence[Array]]) -> tuple[int, ...]:
    """Return the likeliest order of toms, the highest first.

    Each is what its strokes say of its pitch (rows of log chances) in the middle of the mix and, if
    it is stereo, in its side. Another instrument's note leads strokes astray in one of the
    two more often than in both: either may be right.
    """
    if not toms:
        return ()
    known = np.array([np.mean([_chances([rows]) for rows in tom], axis=0) for tom in toms])
    below = np.cumsum(known, axis=1) - 0.5 * known
    higher = np.log(np.maximum(known @ below.T, LEAST_CHANCE))
    orders = permutations(range(len(toms)))
    return max(orders, key=lambda order: sum(higher[a, b] for a, b in combinations(order, 2)))


def _chances(pitches: Sequence[Array]) -> Array:
    """Return the chances of ``at_hz`` by all strokes of a tom, shape (SIZE,), 1 together."""
    return np.asarray(softmax(log_chances(pitches) * min(len(pitches[0]), WORTH_STROKES)))


def tuned(tom_strokes: Sequence[Heard]) -> Tuned | None:
    """Return where the tom is tuned whose strokes are heard; None if they cannot tell.

    ``tom_strokes`` are all its strokes in the middle of the mix and, if it is stereo, in
    its side.
    """
    if len(tom_strokes[0].pitch) < FEWEST:
        return None
    chance = _chances([h.pitch for h in tom_strokes])
    # Above 1 Hz.
    at_cents = 1200.0 * np.log2(at_hz())
    about = np.abs(at_cents - at_cents[int(np.argmax(chance))]) <= ABOUT_CENTS
    within = chance * about
    if within.sum() < LEAST_WITHIN:
        return None
    weight = within / within.sum()
    middle = float(weight @ at_cents)
    spread = float(np.sqrt(weight @ (at_cents - middle) ** 2))
    hz, sd_cents = shifted(1.0, middle - EARLY_SHARP_CENTS), float(np.hypot(spread, OWN_CENTS))
    return Tuned(hz, sd_cents) if sd_cents <= MOST_CENTS else None


def weighed(matching: Tuned, tracked: Tuned) -> Tuned | None:
    """Return both together, what all strokes say and the partial tracked; None if they disagree."""
    apart = cents(tracked.hz, matching.hz)
    sd = float(np.hypot(tracked.sd_cents, TRACKED_CENTS))
    if abs(apart) > AGREEING_SD * float(np.hypot(sd, matching.sd_cents)):
        return None
    share = matching.sd_cents**2 / (matching.sd_cents**2 + sd**2)
    return Tuned(shifted(matching.hz, share * apart), sd * float(np.sqrt(share)))
