"""What is known of a head's rods from taps and turns: an extended Kalman filter.

Conventions
-----------
Tensions are over the tension at the goal, so 1 is there; rods count from 0. Cents are from the
goal. The state is each rod's tension, what a turn does over the prior, and the share of a rod's
pull that each neighbour takes. A tap tells the mean and, of the unevenness, only what
splits the (1,1) mode: a rod shares its pitch with its opposite (``acoustics.uneven``). What taps
cannot tell (one rod tight, its opposite slack) is kept by the count of turns.

Source: any text on the extended Kalman filter; the split of the mode as in ``uneven``.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from emblar.core.acoustics.basis import Array
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.head import tension_from_lug_pitch
from emblar.core.acoustics.inverse import tension_per_turn
from emblar.core.acoustics.uneven import split_share
from emblar.core.tuning.parameters import parameter

CENTS_PER_LOG = 1200.0 / math.log(2.0)
LEAST_TENSION, LEAST_EFFECT = 0.01, 0.1
UPDATES = 3


@dataclass(frozen=True, slots=True, eq=False)
class HeadState:
    """What is known of one head.

    Parameters
    ----------
    mean
        Rods' tensions over the goal's, a turn's effect over the prior, hoop sharing;
        shape (rods + 2,).
    covariance
        Of ``mean``, shape (rods + 2, rods + 2).
    per_turn
        What a turn of every rod adds over the goal's tension, by the prior.
    read
        Whether any tap was read yet.
    misfit
        Last round's readings against what was expected, mean square over variance; 1 is usual.
    """

    mean: Array
    covariance: Array
    per_turn: float
    read: bool = False
    misfit: float = 1.0

    @property
    def rods(self) -> int:
        """How many rods the head has."""
        return len(self.mean) - 2

    @property
    def tensions(self) -> Array:
        """Tension at each rod over the goal's, shape (rods,)."""
        return self.mean[:-2]

    @property
    def gain(self) -> float:
        """What a turn of every rod adds over the goal's tension, as learned so far."""
        return self.per_turn * max(float(self.mean[-2]), LEAST_EFFECT)

    @property
    def gain_sd(self) -> float:
        """Uncertainty of ``gain`` over itself."""
        return math.sqrt(float(self.covariance[-2, -2])) / max(float(self.mean[-2]), LEAST_EFFECT)

    def shares(self) -> Array:
        """Return what a turn of each rod does at each rod over ``gain``, shape (rods, rods)."""
        return turn_shares(self.rods, float(self.mean[-1]))

    def cents(self) -> Array:
        """Return what a tap beside each rod is expected to read in cents, shape (rods,)."""
        return heard_cents(self.tensions)

    def mean_cents(self) -> float:
        """Return the head's lug pitch, the mean of its rods, cents from the goal."""
        return float(self.cents().mean())

    def cents_sd(self) -> Array:
        """Return the uncertainty of ``cents``, shape (rods,)."""
        slope = _heard_slope(self.tensions)
        spread = slope @ self.covariance[:-2, :-2] @ slope.T
        return np.asarray(np.sqrt(np.maximum(np.diag(spread), 0.0)))


def turn_shares(rods: int, sharing: float) -> Array:
    """Return what a turn of rod j does at rod i, each column summing to 1; shape (rods, rods)."""
    eye = np.eye(rods)
    around = np.roll(eye, 1, axis=0) + np.roll(eye, -1, axis=0)
    return np.asarray((eye + sharing * around) / (1.0 + 2.0 * sharing))


def _second(rods: int) -> Array:
    """Return what makes the second harmonic at each rod of tensions, shape (rods, rods)."""
    angle = 2.0 * math.pi * np.arange(rods) / rods
    scale = 1.0 if rods == 4 else 2.0
    return np.asarray(scale / rods * np.cos(2.0 * (angle[:, None] - angle[None, :])))


def heard_cents(tensions: Array) -> Array:
    """Return the lug pitch heard beside each rod in cents from the goal.

    Parameters
    ----------
    tensions
        Over the goal's, shape (..., rods).
    """
    rods = tensions.shape[-1]
    mean = np.maximum(tensions.mean(axis=-1, keepdims=True), LEAST_TENSION)
    uneven = tensions @ _second(rods).T / mean
    return np.asarray(CENTS_PER_LOG * (0.5 * np.log(mean) + 0.25 * split_share(1) * uneven))


def _heard_slope(tensions: Array) -> Array:
    """Return what each rod's tension does to each rod's reading, cents, shape (rods, rods)."""
    rods = len(tensions)
    mean = max(float(tensions.mean()), LEAST_TENSION)
    second = _second(rods)
    uneven = second @ tensions / mean
    by_mean = (0.5 - 0.25 * split_share(1) * uneven) / (mean * rods)
    return np.asarray(CENTS_PER_LOG * (by_mean[:, None] + 0.25 * split_share(1) * second / mean))


def goal_per_turn(drum: Drum, side: Side, goal_hz: float) -> float:
    """Return what a turn of every rod adds over the tension at the goal, by the prior.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    side
        ``"batter"`` or ``"reso"``.
    goal_hz
        Lug pitch to go for, Hz.
    """
    k = prior_coefficients()
    return tension_per_turn(drum, side, k).value / tension_from_lug_pitch(drum, side, goal_hz, k)


def slack_head(drum: Drum, side: Side, goal_hz: float) -> HeadState:
    """Return what is known of a head whose rods are finger-tight and that was not read yet.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    side
        ``"batter"`` or ``"reso"``.
    goal_hz
        Lug pitch to go for, Hz.
    """
    k = prior_coefficients()
    tension = k["slack_stop"] / tension_from_lug_pitch(drum, side, goal_hz, k)
    return head_at(drum.rods, tension, goal_per_turn(drum, side, goal_hz))


def head_at(
    rods: int, tension: float, per_turn: float, *, gain_sd: float | None = None
) -> HeadState:
    """Return a head of which only about how tight it is is known.

    Parameters
    ----------
    rods, tension
        How many rods; the mean tension over the goal's.
    per_turn
        What a turn of every rod adds over the goal's tension, by the prior.
    gain_sd
        How well that is known, over itself; as well as of a drum never seen if left out.
    """
    mean = np.concatenate([np.full(rods, tension), [1.0, prior_coefficients()["hoop_sharing"]]])
    covariance = np.zeros((rods + 2, rods + 2))
    apart = parameter("rods_apart") * tension
    covariance[:rods, :rods] = (parameter("mean_unknown") * tension) ** 2 + apart**2 * np.eye(rods)
    covariance[-2, -2] = (parameter("turn_effect_unknown") if gain_sd is None else gain_sd) ** 2
    covariance[-1, -1] = prior_coefficients().rows["hoop_sharing"].sd ** 2
    return HeadState(mean, covariance, per_turn)


def with_response(fresh: HeadState, before: HeadState) -> HeadState:
    """Return a head let down or fitted anew, with what was learned of turns on it before."""
    mean, covariance = fresh.mean.copy(), fresh.covariance.copy()
    mean[-2] = before.mean[-2]
    known = float(before.covariance[-2, -2]) * parameter("response_kept") ** 2
    covariance[-2, -2] = min(known, float(covariance[-2, -2]))
    return replace(fresh, mean=mean, covariance=covariance)


def after_turns(state: HeadState, turns: Sequence[float]) -> HeadState:
    """Return what is known after turns of the key at each rod, tightening positive."""
    rods = state.rods
    asked = np.asarray(turns, np.float64)
    shares = state.shares()
    moved = state.gain * (shares @ asked)
    mean = state.mean.copy()
    mean[:rods] = np.maximum(mean[:rods] + moved, LEAST_TENSION)
    slope = np.eye(rods + 2)
    slope[:rods, -2] = state.per_turn * (shares @ asked)
    nearby = turn_shares(rods, float(state.mean[-1]) + 0.01)
    slope[:rods, -1] = state.gain * ((nearby - shares) @ asked) / 0.01
    # Each rod is turned a little more or less than asked, and may slip.
    error = parameter("turning_error") * np.abs(asked) + parameter("turning_error_least") * (
        asked != 0.0
    )
    noise = np.zeros((rods + 2, rods + 2))
    noise[:rods, :rods] = state.gain**2 * (shares * error**2) @ shares.T
    covariance = slope @ state.covariance @ slope.T + noise
    return replace(state, mean=mean, covariance=covariance)


def after_readings(
    state: HeadState, cents: Sequence[float | None], sd_cents: Sequence[float] | float
) -> HeadState:
    """Return what is known after taps were read beside some of the rods.

    Parameters
    ----------
    state
        What was known before.
    cents
        Lug pitch read beside each rod in cents from the goal; None where there is no reading.
    sd_cents
        Uncertainty of each reading, or of all.
    """
    told = [i for i, value in enumerate(cents) if value is not None]
    if not told:
        return state
    values = np.array([cents[i] for i in told], np.float64)
    sds = np.broadcast_to(np.asarray(sd_cents, np.float64), (len(cents),))[told]
    if not state.read:
        state = _moved_to(state, float(values.mean()))
    noise = np.diag(np.maximum(sds, parameter("reading_least_sd")) ** 2)
    before, spread = state.mean, state.covariance
    mean, slope = before, np.zeros((len(told), len(before)))
    misfit = 1.0
    for turn in range(UPDATES):
        slope[:, :-2] = _heard_slope(mean[:-2])[told]
        expected = heard_cents(mean[:-2])[told]
        within = slope @ spread @ slope.T + noise
        off = values - expected
        if turn == 0:
            misfit = float(off @ np.linalg.solve(within, off)) / len(told)
        gain = np.linalg.solve(within, slope @ spread).T
        mean = before + gain @ (off - slope @ (before - mean))
        mean[:-2] = np.maximum(mean[:-2], LEAST_TENSION)
    kept = np.eye(len(before)) - gain @ slope
    covariance = kept @ spread @ kept.T + gain @ noise @ gain.T
    return replace(
        state, mean=mean, covariance=covariance, read=True, misfit=misfit if state.read else 1.0
    )


def _moved_to(state: HeadState, cents: float) -> HeadState:
    """Return a head not read yet, brought near its first readings: the prior is wide there.

    What was turned before stays as it was counted, over the new mean.
    """
    tension = math.exp(2.0 * cents / CENTS_PER_LOG)
    rods = state.rods
    scale = tension / max(float(state.tensions.mean()), LEAST_TENSION)
    moved = np.ones(rods + 2)
    moved[:rods] = scale
    covariance = state.covariance * np.outer(moved, moved)
    return replace(state, mean=state.mean * moved, covariance=covariance)
