"""Changes that were tried on a drum, one at a time, with a take before and a take after."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from emblar.core.acoustics.drum import Side
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.errors import EmblarError
from emblar.core.matching.learned import Trial
from emblar.core.matching.moves import effect_of, turned
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.target import Target
from emblar.core.quantities.registry import steps
from emblar.formats.setup import SetupFile
from emblar.formats.stored import lenient
from emblar.steps.kit.queries.setups import SetupInfo
from emblar.steps.match.actions.takes import Take


def trials(
    catalogue: Catalogue,
    owned: OwnedDrum,
    takes: Sequence[Take],
    setups: Sequence[SetupInfo],
    setup: Setup,
) -> list[Trial]:
    """Return every single change with what it was to do and what the takes say it did.

    A setup with several takes, mostly one a microphone, is compared with one that has as many:
    the first of one with the first of the other.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    owned
        The drum.
    takes, setups
        Of that drum, the oldest first.
    setup
        How it is set up now: its heads and pitches stand for those of then.
    """
    groups: dict[int, list[Take]] = {}
    for take in takes:
        if take.target is not None and take.setup is not None:
            groups.setdefault(take.info.setup_id or 0, []).append(take)
    parents = {info.id: info for info in setups}
    result = []
    rows = list(groups.items())
    for (before_id, before), (after_id, after) in pairwise(rows):
        between = _between(parents, before_id, after_id)
        first, second = before[0], after[0]
        if between is None or len(before) != len(after):
            continue
        change = _single(catalogue, owned, first.setup, between, setup)
        if change is not None and first.target is not None and second.target is not None:
            kind, expected = change
            result.append(Trial(kind, expected, _seen(first.target, second.target)))
    return result


def _between(setups: Mapping[int, SetupInfo], first: int, last: int) -> list[SetupFile] | None:
    """Return the setups after one up to another that came of it, or None if it did not."""
    result: list[SetupFile] = []
    position = last
    while position != first:
        info = setups.get(position)
        if info is None or info.parent_id is None or len(result) > len(setups):
            return None
        result.append(lenient(SetupFile, info.document, "This setup"))
        position = info.parent_id
    return result[::-1]


def _single(
    catalogue: Catalogue,
    owned: OwnedDrum,
    was: SetupFile | None,
    between: Sequence[SetupFile],
    setup: Setup,
) -> tuple[str, dict[str, float]] | None:
    """Return the kind of the only change there was and what the model says of it."""
    if was is None or not between or any(file.slack for file in between):
        return None
    last = between[-1]
    before = _setup_from(was, setup)
    after = _setup_from(last, setup)
    turns: dict[Side, float] = {}
    for file in between:
        for side, rods in file.turned.items():
            turns[side] = turns.get(side, 0.0) + float(np.mean(rods))
    changes = [
        kind
        for kind, differs in (
            ("damper", len(set(was.dampers) ^ set(last.dampers)) == 1),
            ("strike", before.striker != after.striker),
            ("wires", before.wires != after.wires),
            ("force", before.force != after.force),
            ("turn", any(turns.values())),
        )
        if differs
    ]
    several = len(set(was.dampers) ^ set(last.dampers)) > 1
    if len(changes) != 1 or several:
        return None
    try:
        for side, by in turns.items():
            after = turned(catalogue, owned, after, side, by)
        return changes[0], effect_of(catalogue, owned, before, after)
    except EmblarError:
        return None


def _setup_from(file: SetupFile, setup: Setup) -> Setup:
    return replace(
        setup,
        dampers=tuple(file.dampers),
        striker=file.striker or setup.striker,
        wires=file.wires or setup.wires,
        force=file.force,
    )


def _seen(before: Target, after: Target) -> dict[str, tuple[float, float]]:
    result = {}
    for name, step in steps().items():
        was, is_ = before.values.get(name), after.values.get(name)
        if was is None or is_ is None:
            continue
        if step.kind == "ratio" and min(was.value, is_.value) <= 0.0:
            continue
        sd = math.hypot(step.width(was.value, was.sd), step.width(is_.value, is_.sd))
        result[name] = (step.apart(is_.value, was.value), sd)
    return result
