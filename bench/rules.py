"""Hand-set rules on top of the trained models, and the analysis without one of them.

``without(name)`` takes one out for the rest of the process (``bench.real --without``); what each
brings is measured by ``bench.ablation``.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np

from emblar.core.analysis import pipeline
from emblar.core.analysis.classify.model import probabilities
from emblar.core.analysis.voices import assignment, decide
from emblar.core.voices import VoiceName


@dataclass(frozen=True, slots=True)
class Rule:
    """A rule: what it does, and what stands in its place without it."""

    what: str
    where: Any
    name: str
    instead: Any


def _first(*args: Any, **_: Any) -> Any:
    return args[0]


def _chances(times_s: Any, lows: Any, chances: Any, *_: Any) -> Any:
    del times_s, lows
    return chances


def _unweighed(prior: Any, current: Any, prints: Any, others: Any = ()) -> Any:
    del current, prints, others
    return prior, np.zeros_like(prior)


def _usual(voice: str, score: Any, *, mix: bool) -> float:
    del score
    kind = VoiceName(voice).kind
    return (decide.THRESHOLD_IN_MIX if mix else decide.THRESHOLD)[kind]


def _once(frames: Any, times_s: Any) -> Any:
    return probabilities(frames, times_s, mix=True).astype(np.float64)


RULES = {
    "neighbours": Rule(
        "candidates that sound alike, or come again a period later, are weighed together",
        decide,
        "reconsidered",
        _first,
    ),
    "a-snare-there-must-be": Rule(
        "if hardly any stroke was a snare, what looks like a high tom may be one",
        decide,
        "with_a_snare",
        _chances,
    ),
    "own-drums": Rule(
        "the recording's own drums (templates) are weighed with the classifier",
        decide,
        "_weighed",
        _unweighed,
    ),
    "alike-counts-more": Rule(
        "a stroke that is its drum's template all over counts more", decide, "ALIKE_WEIGHT", 0.0
    ),
    "one-tom": Rule("a stroke is on one tom, unless two are as loud", decide, "_one_tom", _first),
    "rarely-together": Rule(
        "snare and tom at once: the less sure is less sure still",
        decide,
        "rarely_together",
        _first,
    ),
    "snare-where-it-parts": Rule(
        "the snare's threshold goes half-way to where this recording's candidates part",
        decide,
        "_threshold",
        _usual,
    ),
    "side": Rule("the side of a stereo mix has a say", decide, "both_heard", _first),
    "both-frames": Rule(
        "under a backing a stroke is heard from both frames it lies between",
        decide,
        "told_in_mix",
        _once,
    ),
    "five-beginnings": Rule(
        "under a backing toms are told apart from five beginnings, and most agree",
        assignment,
        "LISTENED_FROM_S",
        (0.0,),
    ),
    "dies-away": Rule(
        "without a backing, what does not die away was no stroke", pipeline, "_struck", _first
    ),
}


def without(name: str) -> None:
    """Take a rule out for the rest of this process, and for those it forks.

    Raises
    ------
    KeyError
        There is no such rule.
    """
    rule = RULES[name]
    if not hasattr(rule.where, rule.name):
        raise KeyError(f"{rule.name} is not in {rule.where.__name__} any more")
    setattr(rule.where, rule.name, rule.instead)
