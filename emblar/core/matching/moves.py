"""The next single change: what each would do to the take, the least invasive first.

Conventions
-----------
A move's effect is the model's card after it less the model's card before it, in steps, put on the
measured take: the model is trusted for what a change does, the microphone for where the drum is.
What earlier changes of its kind did on this drum scales it (``learned``).
What nobody hears counts for nothing (``differences.score``).
"""

import math
import tomllib
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources
from itertools import combinations
from typing import Literal

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.head import lug_pitch_from_tension, tension_from_lug_pitch
from emblar.core.acoustics.inverse import tension_per_turn
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.errors import EmblarError
from emblar.core.matching.differences import FAR_SHARE, Comparison, score
from emblar.core.matching.learned import Share
from emblar.core.planning.kit import OwnedDrum, model, wearing
from emblar.core.planning.predicted import predicted_card
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps

Kind = Literal["force", "strike", "wires", "damper", "undamp", "turn", "head", "port"]
FORCES = (0.7, 0.85, 1.2, 1.4)
TURNS = (0.125, 0.25, 0.5, 1.0)
FAR_TURNS = (*TURNS, 2.0, 4.0)
FAR_PITCH_STEPS = 12.0
"""With the pitch further off than this (about a minor third), it is tuned first."""
FOLLOW_STEPS = 0.3
LEAST_GAIN = 0.15
MISSING_COSTS = 0.5
TUNE_FIRST_STEPS = 1.5
AS_MODELLED = Share()
BOUGHT = ("damper", "strike", "head")
"""Kinds of change that need a part."""
TWICE = ("damper", "undamp")
"""Kinds of change that a pair may have two of."""
PAIRS_TRIED = 12
"""How many pairs are predicted exactly, the most promising first."""
LEARNED_AS: dict[str, str] = {"undamp": "damper"}
"""Changes that are learned of together with another kind."""


def drum_of(catalogue: Catalogue, owned: OwnedDrum, setup: Setup) -> Drum:
    """Return a drum as it is set up, for the model."""
    drum = model(
        catalogue,
        wearing(owned, setup.reso, setup.port_in),
        batter=setup.batter,
        dampers=setup.dampers,
        striker=setup.striker,
        wires_setting=setup.wires,
    )
    strike = replace(drum.strike, impulse=drum.strike.impulse * setup.force)
    return replace(drum, strike=strike)


Change = tuple[Kind, str, Setup]
"""A change: its kind, its id, and the setup after it."""
Weigh = Callable[[Mapping[str, float], Mapping[str, float], Share], tuple[float, float, bool]]


@dataclass(frozen=True, slots=True)
class Move:
    """One change.

    Parameters
    ----------
    kind, what
        What kind of change, and its id: a damper's, a striker's, ``batter +0.125`` turns.
    setup
        The setup after it.
    effect
        What it does, in steps per quantity, by the model; only what moves noticeably.
    then
        Kind and id of the second change of a pair that only helps together; effect, gain and
        minutes cover both, the setup is the one between them.
    gain
        How much nearer the record it brings the take in all, steps.
    gain_sd
        How sure that is.
    minutes, buys, back
        What it costs: time, whether something has to be there for it, and the way back.
    """

    kind: Kind
    what: str
    setup: Setup
    effect: dict[str, float]
    gain: float
    gain_sd: float
    minutes: float
    buys: bool
    back: str
    tried: int = 0
    """How many earlier changes of its kind on this drum its effect is scaled by."""
    then: tuple[Kind, str] | None = None

    @property
    def worth(self) -> float:
        """What it brings less what its kind has to bring, steps."""
        kinds = (self.kind, *(self.then or ())[:1])
        return self.gain - sum(float(_rows()[kind]["weight"]) for kind in kinds)


@lru_cache(maxsize=1)
def _rows() -> dict[str, dict[str, float | str]]:
    text = (resources.files(__package__) / "moves.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)


def minutes_of(kind: str) -> float:
    """Return about how many minutes a change of a kind takes (``moves.toml``)."""
    return float(_rows()[kind]["minutes"])


@lru_cache(maxsize=512)
def _card(catalogue: Catalogue, owned: OwnedDrum, setup: Setup) -> Mapping[str, Measured]:
    prediction = predict(drum_of(catalogue, owned, setup), setup.batter_hz, setup.reso_hz)
    return predicted_card(prediction, owned.kind)


def effect_of(
    catalogue: Catalogue, owned: OwnedDrum, before: Setup, after: Setup
) -> dict[str, float]:
    """Return what a change does, in steps per quantity, by the model."""
    was, current = _card(catalogue, owned, before), _card(catalogue, owned, after)
    result = {}
    for name, step in steps().items():
        if name in was and name in current:
            low = min(was[name].value, current[name].value)
            if step.kind == "difference" or low > 0.0:
                result[name] = step.apart(current[name].value, was[name].value)
    return result


def next_moves(
    catalogue: Catalogue,
    owned: OwnedDrum,
    setup: Setup,
    comparison: Comparison,
    *,
    heads: bool = True,
    have: frozenset[str] | None = None,
    learned: Mapping[str, Share] | None = None,
) -> list[Move]:
    """Return the changes that bring a take nearer to the record, the best first.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    owned, setup
        The drum, and how it was set up when the take was made.
    comparison
        The take against the record.
    heads
        Whether other heads are tried, too: they take longest to try.
    have
        Ids of dampers, strikers and heads at hand; all of the catalogue if left out.
    learned
        What earlier changes did over what the model says, by kind (``learned.learned_shares``).
    """
    apart = {name: d.steps for name, d in comparison.differences.items()}
    near = [*_changes(catalogue, owned, setup, heads=heads)]

    # Bend follows from the pitch, so it only counts once the pitch is near.
    untuned = abs(apart.get("pitch", 0.0)) > FAR_PITCH_STEPS
    coarse = {n: s for n, s in apart.items() if not (untuned and n == "bend")}

    def tried(changes: Sequence[Change], apart: Mapping[str, float], weigh: Weigh) -> list[Move]:
        moves = []
        for kind, what, after in changes:
            missing = have is not None and kind in BOUGHT and what not in have
            share = (learned or {}).get(_learned_as(kind), AS_MODELLED)
            move = _move(catalogue, kind, what, owned, setup, after, apart, share, weigh)
            if move is not None:
                moves.append(replace(move, buys=missing))
        return _ordered(moves, apart.get("pitch", 0.0))

    # Where nothing counts any more because it is so far off, coming nearer has to count.
    return (
        tried(near, apart, _gain)
        or tried([*near, *_turns(catalogue, owned, setup, FAR_TURNS)], coarse, _far_gain)
        or (
            _pairs(catalogue, owned, setup, near, apart, learned or {}, have)
            if comparison.audible
            else []
        )
    )


def _pairs(
    catalogue: Catalogue,
    owned: OwnedDrum,
    setup: Setup,
    changes: Sequence[Change],
    apart: Mapping[str, float],
    learned: Mapping[str, Share],
    have: frozenset[str] | None,
) -> list[Move]:
    """Return pairs of changes that only help together, the best first.

    Adding single effects finds the promising ones; the model then predicts each of these exactly.
    """
    usable = [c for c in changes if have is None or c[0] not in BOUGHT or c[1] in have]
    effects, shares = list[tuple[float, Change, dict[str, float]]](), dict[Kind, Share]()
    for change in usable:
        share = shares.setdefault(change[0], learned.get(_learned_as(change[0]), AS_MODELLED))
        with suppress(EmblarError):
            effect = effect_of(catalogue, owned, setup, change[2])
            scaled = {n: share.mean * effect.get(n, 0.0) for n in apart}
            effects.append((score({n: s + scaled[n] for n, s in apart.items()}), change, scaled))
    # The change of a pair that does less harm alone comes first.
    effects.sort(key=lambda row: row[0])
    ranked = []
    for (_, one, by_one), (_, other, by_other) in combinations(effects, 2):
        if _can_be_paired(one, other):
            after = score({n: s + by_one[n] + by_other[n] for n, s in apart.items()})
            weight = float(_rows()[one[0]]["weight"]) + float(_rows()[other[0]]["weight"])
            ranked.append((after + weight, one, other))
    ranked.sort(key=lambda row: row[0])
    moves = (
        _pair(catalogue, owned, setup, *row[1:], apart, shares) for row in ranked[:PAIRS_TRIED]
    )
    return sorted((m for m in moves if m is not None), key=lambda m: -m.worth)


def _pair(
    catalogue: Catalogue,
    owned: OwnedDrum,
    setup: Setup,
    first: Change,
    second: Change,
    apart: Mapping[str, float],
    shares: Mapping[Kind, Share],
) -> Move | None:
    """Return a pair of changes as one move, or None if it hardly helps."""
    with suppress(EmblarError):
        by_first = effect_of(catalogue, owned, setup, first[2])
        after = next(
            (c[2] for c in _changes(catalogue, owned, first[2], heads=True) if c[:2] == second[:2]),
            None,
        )
        if after is None:
            return None
        by_second = effect_of(catalogue, owned, first[2], after)
        both = {
            n: shares[first[0]].mean * by_first.get(n, 0.0)
            + shares[second[0]].mean * by_second.get(n, 0.0)
            for n in apart
        }
        gain = score(apart) - score({n: s + both[n] for n, s in apart.items()})
        doubt = math.hypot(
            shares[first[0]].sd * score({n: by_first.get(n, 0.0) for n in apart}),
            shares[second[0]].sd * score({n: by_second.get(n, 0.0) for n in apart}),
        )
        move = Move(
            first[0],
            first[1],
            first[2],
            {n: e for n, e in both.items() if abs(e) >= FOLLOW_STEPS},
            gain,
            doubt,
            minutes_of(first[0]) + minutes_of(second[0]),
            buys=False,
            back=str(_rows()[first[0]]["back"]),
            tried=min(shares[first[0]].trials, shares[second[0]].trials),
            then=second[:2],
        )
        return move if move.worth > 0.0 and gain >= max(LEAST_GAIN, doubt) else None
    return None


def _can_be_paired(one: Change, other: Change) -> bool:
    """Return whether two changes can be made together: not two sticks, nor two turns of a head."""
    if one[0] == other[0] == "turn":
        heads = {change[1].split(" ")[0] for change in (one, other)}
        return heads == {"batter", "reso"}
    return one[0] != other[0] or one[0] in TWICE


def _learned_as(kind: Kind) -> str:
    return LEARNED_AS.get(kind, kind)


def _move(
    catalogue: Catalogue,
    kind: Kind,
    what: str,
    owned: OwnedDrum,
    before: Setup,
    after: Setup,
    apart: Mapping[str, float],
    share: Share,
    weigh: "Weigh",
) -> Move | None:
    """Return what a change brings, or None if it may as well do harm: that is no advice."""
    try:
        description = effect_of(catalogue, owned, before, after)
    except EmblarError:
        return None
    effect = {name: share.mean * e for name, e in description.items()}
    gain, doubt, harmless = weigh(apart, description, share)
    if gain < LEAST_GAIN or not harmless:
        return None
    row = _rows()[kind]
    known = {name: e for name, e in effect.items() if abs(e) >= FOLLOW_STEPS}
    return Move(
        kind,
        what,
        after,
        known,
        gain,
        doubt,
        minutes_of(kind),
        buys=False,
        back=str(row["back"]),
        tried=share.trials,
    )


def _gain(
    apart: Mapping[str, float], description: Mapping[str, float], share: Share
) -> tuple[float, float, bool]:
    """Return what a change brings, how unsure that is, and whether it can hardly do harm."""
    after = {name: s + share.mean * description.get(name, 0.0) for name, s in apart.items()}
    gain = score(apart) - score(after)
    doubt = share.sd * score({name: e for name, e in description.items() if name in apart})
    return gain, doubt, gain >= doubt


def _far_gain(
    apart: Mapping[str, float], description: Mapping[str, float], share: Share
) -> tuple[float, float, bool]:
    """Return the same for a drum that is far off; harmless is what helps at either end of it."""
    gain, least, most = (
        score(apart, far_share=FAR_SHARE)
        - score(
            {n: s + times * description.get(n, 0.0) for n, s in apart.items()}, far_share=FAR_SHARE
        )
        for times in (share.mean, share.mean - share.sd, share.mean + share.sd)
    )
    return gain, 0.5 * max(abs(most - least), abs(most - gain)), min(least, most) > 0.0


def _ordered(moves: Sequence[Move], off: float) -> list[Move]:
    """Return the moves worth their trouble, the best first.

    First tune, then damp: while the note itself is off, turns that mend it come first. Of turns of
    one head by different amounts only the best is offered.
    """
    untuned = abs(off) > TUNE_FIRST_STEPS

    def place(m: Move) -> tuple[bool, float]:
        tunes = m.kind == "turn" and m.effect.get("pitch", 0.0) * off < 0.0
        return untuned and not tunes, -m.worth + (MISSING_COSTS if m.buys else 0.0)

    best: dict[tuple[str, str], Move] = {}
    for move in sorted((m for m in moves if m.worth > 0.0), key=place):
        best.setdefault((move.kind, move.what.split(" ")[0]), move)
    return list(best.values())


def _changes(
    catalogue: Catalogue, owned: OwnedDrum, setup: Setup, *, heads: bool
) -> Iterator[Change]:
    kind = owned.kind
    for share in FORCES:
        yield "force", f"{share:g}", replace(setup, force=setup.force * share)
    for striker in catalogue.strikers_for(kind):
        if striker.id != setup.striker and not striker.only_if_asked:
            yield "strike", striker.id, replace(setup, striker=striker.id)
    if kind == "snare":
        for name in catalogue.wire_settings:
            if name != setup.wires:
                yield "wires", name, replace(setup, wires=name)
    for gone in setup.dampers:
        left = tuple(d for d in setup.dampers if d != gone)
        yield "undamp", gone, replace(setup, dampers=left)
    for row in catalogue.dampers_for(kind):
        needs_front = row.side == "reso" and setup.reso is None
        too_small = owned.diameter_in < row.least_in
        if row.id not in setup.dampers and not needs_front and not too_small:
            yield "damper", row.id, replace(setup, dampers=(*setup.dampers, row.id))
    yield from _turns(catalogue, owned, setup)
    if heads:
        yield from _heads(catalogue, owned, setup)


def _turns(
    catalogue: Catalogue, owned: OwnedDrum, setup: Setup, sizes: Sequence[float] = TURNS
) -> Iterator[Change]:
    groups: tuple[tuple[str, tuple[Side, ...]], ...] = (("batter", ("batter",)),)
    if setup.reso is not None:
        groups += (("reso", ("reso",)), ("both", ("batter", "reso")))
    for name, sides in groups:
        for turns in (sign * size for size in sizes for sign in (1.0, -1.0)):
            after = setup
            try:
                for side in sides:
                    after = turned(catalogue, owned, after, side, turns)
            except EmblarError:
                continue
            yield "turn", f"{name} {turns:+g}", after


def turned(catalogue: Catalogue, owned: OwnedDrum, setup: Setup, side: Side, turns: float) -> Setup:
    """Return a setup with every rod of a head turned, tightening positive.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    owned, setup
        The drum, and how it is set up.
    side
        ``"batter"`` or ``"reso"``.
    turns
        Turns of the key, tightening positive.
    """
    k = prior_coefficients()
    drum = model(catalogue, wearing(owned, setup.reso, setup.port_in), batter=setup.batter)
    hz = setup.batter_hz if side == "batter" else setup.reso_hz
    if hz is None:
        return setup
    tension = tension_from_lug_pitch(drum, side, hz, k)
    tension += turns * tension_per_turn(drum, side, k).value
    after = lug_pitch_from_tension(drum, side, max(tension, k["slack_stop"]), k)
    return replace(setup, batter_hz=after) if side == "batter" else replace(setup, reso_hz=after)


def _heads(catalogue: Catalogue, owned: OwnedDrum, setup: Setup) -> Iterator[Change]:
    for row in catalogue.constructions_for(owned.kind, "batter"):
        if row.id != setup.batter:
            yield "head", row.id, replace(setup, batter=row.id)
