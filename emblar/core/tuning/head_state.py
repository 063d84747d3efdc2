"""What is known of one head from taps and turns: a Rao-Blackwellised particle filter.

Conventions
-----------
Tensions are over the tension at the goal, so 1 is there; rods count from 0. Cents are from the
goal. What differs from head to head is drawn once per sample: what a turn does (*strength*, over
the prior), how a turn spreads along the hoop (*spread*, in rods), and what a tap hears next to the
mean: the rod itself (*own*), the one facing it (*facing*), and how much finer unevenness counts
(*taper*). Given these, tension is linear in turns and squared pitch is linear in tension, so each
sample holds a Kalman filter of the rods' tensions; the samples are weighted by likelihood. Draws
are seeded, so the same steps always give the same state.

Source: Doucet et al. 2000 (Rao-Blackwellised particle filtering); Liu and West 2001 (kernel
shrinkage of the samples after resampling).
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from emblar.core.acoustics.basis import Array
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.head import tension_from_lug_pitch
from emblar.core.acoustics.uneven import split_share
from emblar.core.tuning.head_response import (
    CENTS_PER_LOG,
    LEAST_TENSION,
    goal_per_turn,
    heard_shares,
    to_cents,
    turn_shares,
)
from emblar.core.tuning.parameters import parameter

SAMPLES = 400
"""Samples of what differs from head to head: enough for the same turns within a sixteenth."""
LEAST_SHARE = 0.6
"""Samples are drawn anew when fewer than this share of them count."""
SHRINK = 0.95
"""How near a newly drawn sample stays to the one it is drawn from (Liu and West)."""
FEWEST_TO_JUDGE = 4
"""Readings of a head never read before that are needed to tell a wrong one among them."""
STRENGTH, SPREAD, OWN, FACING, TAPER = range(5)
"""Columns of ``HeadState.response``; strength is kept as its natural logarithm."""


@dataclass(frozen=True, slots=True, eq=False)
class HeadState:
    """What is known of one head.

    Parameters
    ----------
    weight
        Weight of each sample, shape (samples,), sum 1.
    response
        What differs from head to head, shape (samples, 5).
    mean, covariance
        Of the rods' tensions over the goal's, shapes (samples, rods) and (samples, rods, rods).
    per_turn
        What a turn of every rod adds over the goal's tension, by the prior.
    read
        Whether any tap was read yet.
    misfit
        Last round's readings against what was expected, mean square over variance; 1 is usual.
    updates
        How many rounds of taps went in: the seed of the next draw.
    again
        How many rounds of taps there were since the last turn; a part of a round counts as such.
    suspects
        Readings that are not used because the head could hardly sound so: rod and cents. They are
        to be read again.
    last
        The last reading next to each rod before the last turns, cents; empty before any.
    moved
        By how many cents the turns since then should have moved each reading.
    stuck
        Whether the last turns changed nothing, or the wrong way.
    """

    weight: Array
    response: Array
    mean: Array
    covariance: Array
    per_turn: float
    read: bool = False
    misfit: float = 1.0
    updates: int = 0
    again: float = 0.0
    suspects: tuple[tuple[int, float], ...] = ()
    last: tuple[float | None, ...] = ()
    moved: tuple[float, ...] = ()
    stuck: bool = False

    @property
    def rods(self) -> int:
        """How many rods the head has."""
        return int(self.mean.shape[1])

    @property
    def tensions(self) -> Array:
        """Expected tension at each rod over the goal's, shape (rods,)."""
        return np.asarray(self.weight @ self.mean)

    @property
    def strengths(self) -> Array:
        """What a turn of every rod adds over the goal's tension, shape (samples,)."""
        return np.asarray(self.per_turn * np.exp(self.response[:, STRENGTH]))

    @property
    def gain(self) -> float:
        """What a turn of every rod adds over the goal's tension, as learned so far."""
        return float(self.weight @ self.strengths)

    @property
    def gain_sd(self) -> float:
        """Uncertainty of ``gain`` over itself."""
        off = self.strengths - self.gain
        return math.sqrt(float(self.weight @ off**2)) / self.gain

    def spreading(self) -> Array:
        """Return what a turn of rod j does at rod i over strength, shape (samples, rods, rods)."""
        return turn_shares(self.rods, self.response[:, SPREAD])

    def hearing(self) -> Array:
        """Return how much a tap at rod i hears of the tension at rod j, (samples, rods, rods)."""
        return heard_shares(self.rods, self.response[:, [OWN, FACING, TAPER]])

    def apparent_tensions(self) -> Array:
        """Return the tension that each tap is expected to hear, shape (samples, rods)."""
        return self.hearing_of(self.mean)

    def hearing_of(self, tensions: Array) -> Array:
        """Return what taps hear of tensions of each sample, shape (samples, rods)."""
        return np.maximum((self.hearing() @ tensions[:, :, None])[:, :, 0], LEAST_TENSION)

    def cents(self) -> Array:
        """Return what a tap next to each rod is expected to read in cents, shape (rods,)."""
        return np.asarray(self.weight @ to_cents(self.apparent_tensions()))

    def mean_cents(self) -> float:
        """Return the head's lug pitch, the mean of its rods, cents from the goal."""
        return float(self.cents().mean())

    def cents_sd(self) -> Array:
        """Return the uncertainty of ``cents``, shape (rods,)."""
        hearing, audible = self.hearing(), self.apparent_tensions()
        variance = ((hearing @ self.covariance) * hearing).sum(axis=2)
        within = variance * (0.5 * CENTS_PER_LOG / audible) ** 2
        off = to_cents(audible) - self.cents()
        return np.asarray(np.sqrt(np.maximum(self.weight @ (within + off**2), 0.0)))


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
    sd = parameter("turn_effect_unknown") if gain_sd is None else gain_sd
    response = _unknown_response(sd)
    apart = np.random.default_rng(1).uniform(0.3, 1.3, SAMPLES) * parameter("rods_apart") * tension
    eye = np.eye(rods)
    together = (parameter("mean_unknown") * tension) ** 2
    covariance = together + apart[:, None, None] ** 2 * eye
    return HeadState(
        np.full(SAMPLES, 1.0 / SAMPLES),
        response,
        np.full((SAMPLES, rods), tension),
        covariance,
        per_turn,
    )


def _unknown_response(strength_sd: float) -> Array:
    """Return samples of what differs from head to head, shape (samples, 5)."""
    rng = np.random.default_rng(0)
    low, high = parameter("spread_least"), parameter("spread_most")
    response = np.empty((SAMPLES, 5))
    response[:, STRENGTH] = rng.normal(0.0, strength_sd, SAMPLES)
    response[:, SPREAD] = rng.uniform(low, high, SAMPLES)
    response[:, OWN] = rng.uniform(parameter("own_least"), parameter("own_most"), SAMPLES)
    response[:, FACING] = rng.uniform(parameter("facing_least"), parameter("facing_most"), SAMPLES)
    response[:, TAPER] = rng.uniform(0.5, 1.0, SAMPLES)
    # Some heads may be as the model of an ideal film has it: only what splits the mode is heard.
    ideal = rng.random(SAMPLES) < parameter("ideal_share")
    half = 0.25 * split_share(1) * rng.uniform(0.7, 1.6, SAMPLES)
    response[ideal, OWN] = response[ideal, FACING] = half[ideal]
    response[ideal, TAPER] = rng.uniform(0.0, 0.1, SAMPLES)[ideal]
    return response


def with_response(fresh: HeadState, before: HeadState) -> HeadState:
    """Return a head let down or fitted anew, with what was learned of turns on it before."""
    rng = np.random.default_rng(2)
    rows = rng.choice(SAMPLES, SAMPLES, p=before.weight)
    wider = math.sqrt(parameter("response_kept") ** 2 - 1.0)
    spread = before.response[rows].std(axis=0) * wider
    response = before.response[rows] + spread * rng.standard_normal((SAMPLES, 5))
    return replace(fresh, response=_bounded(response))


def _bounded(response: Array) -> Array:
    response = response.copy()
    response[:, SPREAD] = np.clip(response[:, SPREAD], 0.05, 2.0)
    response[:, [OWN, FACING]] = np.clip(response[:, [OWN, FACING]], 0.02, 0.8)
    response[:, TAPER] = np.clip(response[:, TAPER], 0.0, 1.0)
    return response


def turn_noise(turns: Array) -> Array:
    """Return how far each rod is turned from what was asked, one sd, turns; shape of ``turns``.

    A rod turned down may slip as well.
    """
    error = parameter("turning_error") * np.abs(turns)
    error = np.where(turns < 0.0, np.hypot(error, parameter("slip") * np.abs(turns)), error)
    return np.asarray(error + parameter("turning_error_least") * (turns != 0.0))


def after_turns(state: HeadState, turns: Sequence[float]) -> HeadState:
    """Return what is known after turns of the key at each rod, tightening positive."""
    request = np.asarray(turns, np.float64)
    if not request.any():
        return state
    moves = state.strengths[:, None, None] * state.spreading()
    mean = np.maximum(state.mean + moves @ request, LEAST_TENSION)
    moved = state.weight @ (to_cents(state.hearing_of(mean)) - to_cents(state.apparent_tensions()))
    # Turns that did not reach the head are not expected to be heard with the next ones.
    counted = state.moved and not state.stuck
    before = np.array(state.moved) if counted else np.zeros(state.rods)
    noise = (moves * turn_noise(request) ** 2) @ np.swapaxes(moves, 1, 2)
    return replace(
        state,
        mean=mean,
        covariance=state.covariance + noise,
        again=0.0,
        moved=tuple((before + moved).tolist()),
        suspects=(),
        stuck=False,
    )


def after_readings(
    state: HeadState,
    cents: Sequence[float | None],
    sd_cents: Sequence[float] | float,
) -> HeadState:
    """Return what is known after taps were read next to some of the rods.

    A reading that the head could hardly give is not used: it is a suspect, to be read again. Read
    again, and again the same, it counts if a slack or a tight rod can explain it.

    Parameters
    ----------
    state
        What was known before.
    cents
        Lug pitch read next to each rod in cents from the goal; None where there is no reading.
    sd_cents
        Uncertainty of each reading, or of all.
    """
    if all(value is None for value in cents):
        return state
    sds = np.maximum(
        np.broadcast_to(np.asarray(sd_cents, np.float64), (len(cents),)),
        parameter("reading_least_sd"),
    )
    known = np.array([value for value in cents if value is not None])
    earlier = state.suspects
    if not state.read:
        state = _moved_to(state, float(np.median(known)))
    suspects = _suspects(state, cents, sds)
    if (
        state.updates
        and len(known) >= FEWEST_TO_JUDGE
        and _was_changed(state, cents, sds, suspects)
    ):
        state = _moved_to(_as_unread(state), float(np.median(known)))
        suspects = _suspects(state, cents, sds)
    used, request = _sorted_out(cents, suspects, dict(earlier))
    moved, last = state.moved, state.last
    stuck = _is_stuck(state, cents, used)
    if stuck:
        # What a turn does is not learned from turns that did not reach the head.
        state = _moved_to(_as_unread(state), float(np.median(known)))
    after = _updated(state, cents, sds, used) if used else state
    if stuck:
        return replace(after, suspects=request, stuck=True, last=last, moved=moved)
    newest = tuple(cents[rod] if rod in used else None for rod in range(state.rods))
    if last and not any(moved):
        newest = _newest(last, newest)
    return replace(after, suspects=request, stuck=False, last=newest, moved=())


def _sorted_out(
    cents: Sequence[float | None],
    suspects: Sequence[tuple[int, float]],
    earlier: Mapping[int, float],
) -> tuple[list[int], tuple[tuple[int, float], ...]]:
    """Return the rods whose reading is used, and the readings to ask for again.

    A suspect that was read again alike counts if a slack or a tight rod can explain it; otherwise
    it is left out and not asked for any more.
    """
    request = [(rod, value) for rod, value in earlier.items() if cents[rod] is None]
    used = [rod for rod, value in enumerate(cents) if value is not None]
    for rod, off_cents in suspects:
        value = cents[rod]
        assert value is not None
        same = rod in earlier and abs(value - earlier[rod]) <= parameter("same_reading")
        if same and -parameter("slack_rod") <= off_cents <= parameter("tight_rod"):
            continue
        used.remove(rod)
        if rod not in earlier:
            request.append((rod, value))
    return used, tuple(request)


def _newest(
    before: tuple[float | None, ...], after: tuple[float | None, ...]
) -> tuple[float | None, ...]:
    """Return the last reading of each rod."""
    return tuple(b if a is None else a for b, a in zip(before, after, strict=True))


def _is_stuck(state: HeadState, cents: Sequence[float | None], used: Sequence[int]) -> bool:
    """Whether turns that should be heard changed nothing, or the wrong way."""
    if not state.moved or not state.last:
        return False
    rods = [rod for rod in used if state.last[rod] is not None]
    expected = np.array([state.moved[rod] for rod in rods])
    if len(rods) < 2 or math.sqrt(float(np.mean(expected**2))) < parameter("heard_move"):
        return False
    change = np.array([(cents[rod] or 0.0) - (state.last[rod] or 0.0) for rod in rods])
    return float(change @ expected) < parameter("no_effect") * float(expected @ expected)


def _suspects(
    state: HeadState, cents: Sequence[float | None], sds: Array
) -> list[tuple[int, float]]:
    """Return the readings that the others and the turns so far make hardly possible.

    What no slack or tight rod could give is left out first. Then each is tested against what all
    others foretell; the worst is left out and the rest tested again. Returned are rod and distance
    in cents.
    """
    readings = {rod: value for rod, value in enumerate(cents) if value is not None}
    middle = float(np.median(list(readings.values())))
    result = [
        (rod, value - middle)
        for rod, value in readings.items()
        if len(readings) >= FEWEST_TO_JUDGE
        and not -parameter("slack_rod") <= value - middle <= parameter("tight_rod")
    ]
    rods = [rod for rod in readings if rod not in dict(result)]
    while len(rods) >= (1 if state.updates else FEWEST_TO_JUDGE):
        values = np.array([cents[rod] for rod in rods], np.float64)
        away, off_cents = _against_others(state, rods, values, sds[rods])
        worst = int(np.argmax(away))
        if away[worst] <= parameter("suspect_sds"):
            break
        result.append((rods[worst], float(off_cents[worst])))
        rods.pop(worst)
    return result


def _against_others(
    state: HeadState, rods: Sequence[int], cents: Array, sds: Array
) -> tuple[Array, Array]:
    """Return how far each reading lies from what all others foretell, in sds and in cents.

    Source: leave-one-out residuals of a Gaussian by its precision (Rasmussen and Williams 2006,
    section 5.4.2); each sample counts by what it makes of the other readings.
    """
    tension, noise = _as_tension(cents, sds)
    hearing = state.hearing()[:, list(rods)]
    within = hearing @ state.covariance @ np.swapaxes(hearing, 1, 2) + np.diag(noise**2)
    precision = np.linalg.inv(within)
    each = np.einsum("sii->si", precision)
    off = tension - (hearing @ state.mean[:, :, None])[:, :, 0]
    residual = (precision @ off[:, :, None])[:, :, 0] / each
    away = np.abs(residual) * np.sqrt(each)
    # A reading that is wrong must not decide which samples count.
    alike = -0.5 * np.minimum(away, parameter("suspect_sds")) ** 2 + 0.5 * np.log(each)
    others = alike.sum(axis=1, keepdims=True) - alike
    others += np.log(state.weight + 1e-300)[:, None]
    weight = np.exp(others - others.max(axis=0))
    weight /= weight.sum(axis=0)
    foretold = np.maximum(tension - (weight * residual).sum(axis=0), LEAST_TENSION)
    off_cents = cents - to_cents(foretold)
    sd_away = (weight * away).sum(axis=0)
    return np.where(np.abs(off_cents) > parameter("suspect_least"), sd_away, 0.0), off_cents


def _updated(
    state: HeadState, cents: Sequence[float | None], sds: Array, used: Sequence[int]
) -> HeadState:
    """Return the state after the readings that are used: each sample's filter, and its weight."""
    first = not state.read
    values = np.array([cents[rod] for rod in used], np.float64)
    tension, noise = _as_tension(values, sds[list(used)])
    hearing = state.hearing()[:, list(used)]
    crossed = hearing @ state.covariance
    within = crossed @ np.swapaxes(hearing, 1, 2) + np.diag(noise**2)
    off = tension - (hearing @ state.mean[:, :, None])[:, :, 0]
    solved = np.linalg.solve(within, np.concatenate([off[:, :, None], crossed], axis=2))
    distance = (off * solved[:, :, 0]).sum(axis=1)
    likelihood = -0.5 * (distance + np.linalg.slogdet(within)[1])
    weight = state.weight * np.exp(likelihood - likelihood.max())
    weight /= weight.sum()
    mean = state.mean + (solved[:, None, :, 0] @ crossed)[:, 0]
    covariance = state.covariance - np.swapaxes(crossed, 1, 2) @ solved[:, :, 1:]
    misfit = 1.0 if first else float(state.weight @ distance) / len(used)
    after = replace(
        state,
        weight=weight,
        mean=np.maximum(mean, LEAST_TENSION),
        covariance=covariance,
        read=True,
        misfit=misfit,
        updates=state.updates + 1,
        again=state.again + len(used) / state.rods,
    )
    return _drawn_again(after)


def _as_tension(cents: Array, sd_cents: Array) -> tuple[Array, Array]:
    """Return readings in cents as the tension heard over the goal's, and its uncertainty."""
    tension = np.exp(2.0 * cents / CENTS_PER_LOG)
    return tension, tension * 2.0 * sd_cents / CENTS_PER_LOG


def _drawn_again(state: HeadState) -> HeadState:
    """Return the samples drawn anew by weight where few of them count, each moved a little."""
    if 1.0 / float(np.sum(state.weight**2)) >= LEAST_SHARE * SAMPLES:
        return state
    rng = np.random.default_rng([3, state.updates])
    # Systematic resampling: one draw for all.
    place = (rng.random() + np.arange(SAMPLES)) / SAMPLES
    rows = np.minimum(np.searchsorted(np.cumsum(state.weight), place), SAMPLES - 1)
    middle = state.weight @ state.response
    spread = np.sqrt(np.maximum(state.weight @ (state.response - middle) ** 2, 0.0))
    noise = math.sqrt(1.0 - SHRINK**2) * spread * rng.standard_normal((SAMPLES, 5))
    response = SHRINK * state.response[rows] + (1.0 - SHRINK) * middle + noise
    return replace(
        state,
        weight=np.full(SAMPLES, 1.0 / SAMPLES),
        response=_bounded(response),
        mean=state.mean[rows],
        covariance=state.covariance[rows],
    )


def _was_changed(
    state: HeadState,
    cents: Sequence[float | None],
    sds: Array,
    suspects: Sequence[tuple[int, float]],
) -> bool:
    """Whether the head was changed without Emblar: no single wrong reading explains a round.

    Most readings are suspect, or, with no turn since the last round, they fit it as a whole badly.
    """
    read = [rod for rod, value in enumerate(cents) if value is not None]
    if not state.updates or len(read) < FEWEST_TO_JUDGE:
        return False
    if len(suspects) > len(read) / 2.0:
        return True
    used = [rod for rod in read if rod not in dict(suspects)]
    if not state.again or len(used) < FEWEST_TO_JUDGE:
        return False
    return _updated(state, cents, sds, used).misfit > parameter("misfit_too_large")


def _as_unread(state: HeadState) -> HeadState:
    """Return a head of whose tensions nothing is known any more, what a turn does on it is."""
    fresh = head_at(state.rods, float(state.tensions.mean()), state.per_turn)
    return replace(
        fresh,
        weight=state.weight,
        response=state.response,
        updates=0,
        again=state.again,
        suspects=(),
    )


def _moved_to(state: HeadState, cents: float) -> HeadState:
    """Return a head not read yet, brought near its first readings: the prior is wide there.

    What was turned before stays as it was counted, over the new mean.
    """
    tension = math.exp(2.0 * cents / CENTS_PER_LOG)
    scale = tension / max(float(state.tensions.mean()), LEAST_TENSION)
    return replace(state, mean=state.mean * scale, covariance=state.covariance * scale**2)
