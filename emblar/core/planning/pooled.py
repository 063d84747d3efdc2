"""One card out of several sources: files of the same record, and what people say of it.

Conventions
-----------
For every quantity the first file that tells it counts: single strokes before drums alone before the
full mix; files are not averaged, since the lesser one is usually the same sound worse heard. What
was entered by hand is *evidence* with a confidence between 0 and 1; its standard deviation is
divided by the root of the confidence. Evidence that agrees with the measured value is averaged with
it by inverse variance; evidence that does not is told and left out, unless nothing was measured.
Evidence that is *sure* wins: where it does not agree, it is the measured value that is left out.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from emblar.core.analysis.card.measure import ALTERNATIVE_CENTS
from emblar.core.errors import InputError
from emblar.core.notes import cents
from emblar.core.quantities import Measured, Quantity, Unknown
from emblar.core.quantities.card import Alternative, Card
from emblar.core.quantities.registry import steps

RANK = {"hit": 0, "drums": 1, "auto": 2, "mix": 3}
"""Which kind of file measures best."""
OF_ONE_FILE = "level"
"""A level is that of one file, and says nothing beside another."""
PITCH_COMPANY = ("pitch_spread_cents", "alternatives", "ring_modes", "tracks")
AGREES_SD = 2.5
SURE = 0.9
"""From this confidence on a person is taken to know better than the measurement."""
DEFAULT_STEPS = 2.0
"""Standard deviation of what is said without one, in just-noticeable steps (assumption)."""


@dataclass(frozen=True, slots=True)
class Evidence:
    """A value somebody gives for a quantity: by what name, how sure, from where."""

    quantity: str
    value: float
    sd: float | None
    confidence: float
    source: str


@dataclass(frozen=True, slots=True)
class Pooled:
    """A quantity out of several sources, and in words where it comes from."""

    quantity: Quantity
    origin: str


@dataclass(frozen=True, slots=True)
class Source:
    """One file's card of a voice."""

    name: str
    kind: str
    card: Card


def pooled_card(sources: Sequence[Source], text: Sequence[Evidence]) -> tuple[Card, dict[str, str]]:
    """Return one card of a voice out of several files and what is said of it.

    Parameters
    ----------
    sources
        At least one.
    text
        Evidence given by hand for this voice.

    Returns
    -------
    card
        The best file's card with what other sources add.
    origins
        Where a quantity comes from, by its name on the card, if not from the best file alone.
    """
    ranked = sorted(sources, key=lambda s: RANK.get(s.kind, len(RANK)))
    best = ranked[0]
    changed: dict[str, Any] = {}
    quantities: dict[str, Quantity] = {}
    origins: dict[str, str] = {}
    for name in best.card:
        if name == OF_ONE_FILE:
            continue
        pooled = first_told([(s.name, s.card[name]) for s in ranked])
        told_by = pooled.origin
        pooled = with_evidence(pooled, [e for e in text if e.quantity == name])
        quantities[name] = pooled.quantity
        if pooled.origin not in ("", best.name):
            origins[name] = pooled.origin
        if name == "pitch" and told_by not in ("", best.name):
            other = next(s.card for s in ranked if s.name == told_by)
            changed |= {company: getattr(other, company) for company in PITCH_COMPANY}
    pitch = quantities["pitch"]
    if any(e.quantity == "pitch" and e.confidence >= SURE for e in text):
        # What was measured is another reading next to what a person is sure of.
        readings = changed.get("alternatives", best.card.alternatives)
        read = first_told([(s.name, s.card["pitch"]) for s in ranked]).quantity
        changed["pitch_chosen"] = True
        changed["alternatives"] = _other_readings(pitch, read, readings)
    if isinstance(pitch, Measured) and pitch != best.card["pitch"]:
        changed["pitch_sd_cents"] = 1200.0 * math.log2(1.0 + pitch.sd / pitch.value)
    return replace(best.card.having(quantities), **changed), origins


def _other_readings(
    pitch: Quantity, read: Quantity, matching: Sequence[Alternative]
) -> tuple[Alternative, ...]:
    rows = list(matching)
    if isinstance(read, Measured):
        rows.insert(0, Alternative(read.value, 0.0))
    if isinstance(pitch, Measured):
        rows = [r for r in rows if abs(cents(r.frequency_hz, pitch.value)) > ALTERNATIVE_CENTS]
    return tuple(rows)


def check_evidence(evidence: Evidence) -> Evidence:
    """Return evidence, or raise ``InputError`` saying what is wrong with it."""
    known = steps()
    if evidence.quantity not in known:
        raise InputError(f"“{evidence.quantity}” is not measured: use {', '.join(known)}.")
    if not math.isfinite(evidence.value):
        raise InputError("The value is not a number. Nothing was kept.")
    if known[evidence.quantity].kind == "ratio" and evidence.value <= 0.0:
        raise InputError(f"{evidence.quantity} must be above 0 {known[evidence.quantity].unit}.")
    if not 0.0 < evidence.confidence <= 1.0:
        raise InputError("The confidence must lie above 0 and not above 1.")
    if evidence.sd is not None and not (math.isfinite(evidence.sd) and evidence.sd > 0.0):
        raise InputError("The uncertainty must be above 0, or left empty.")
    return evidence


def first_told(readings: Sequence[tuple[str, Quantity]]) -> Pooled:
    """Return the first reading that tells a value; readings are (where from, value), best first."""
    for origin, quantity in readings:
        if isinstance(quantity, Measured):
            return Pooled(quantity, origin)
    reason = readings[0][1] if readings else Unknown("not measured")
    return Pooled(reason, "")


def with_evidence(pooled: Pooled, evidence_rows: Sequence[Evidence]) -> Pooled:
    """Weigh a measured quantity with what people say of it."""
    quantity, origin = pooled.quantity, pooled.origin
    for evidence in sorted(evidence_rows, key=lambda e: -e.confidence):
        given = _as_measured(evidence)
        if isinstance(quantity, Unknown):
            quantity, origin = given, f"by hand: {evidence.source}"
            continue
        agrees = abs(given.value - quantity.value) <= AGREES_SD * math.hypot(given.sd, quantity.sd)
        if not agrees and evidence.confidence >= SURE:
            values = f"{quantity.value:.4g} {quantity.unit}"
            quantity, origin = given, f"by hand: {evidence.source} (measured: {values}, left out)"
            continue
        if not agrees:
            origin += f"; {evidence.source} says {given.value:g} {given.unit}, left out"
            continue
        weights = (1.0 / max(quantity.sd, 1e-9) ** 2, 1.0 / given.sd**2)
        value = (quantity.value * weights[0] + given.value * weights[1]) / sum(weights)
        quantity = Measured(value, 1.0 / math.sqrt(sum(weights)), quantity.unit)
        origin += f", weighed with {evidence.source}"
    return Pooled(quantity, origin)


def _as_measured(evidence: Evidence) -> Measured:
    step = steps()[evidence.quantity]
    sd = evidence.sd
    if sd is None:
        sd = abs(step.moved(evidence.value, DEFAULT_STEPS) - evidence.value)
    return Measured(evidence.value, sd / math.sqrt(evidence.confidence), step.unit)
