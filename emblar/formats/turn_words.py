"""Turns of the key in words, the same on screen and on the command line."""

from collections.abc import Sequence
from fractions import Fraction

from emblar.core.tuning.next_turns import NextTurns, Why
from emblar.core.tuning.parameters import parameter
from emblar.core.tuning.tap import WhyNot

PARTS = {
    Fraction(1, 8): "⅛",
    Fraction(1, 4): "¼",
    Fraction(3, 8): "⅜",
    Fraction(1, 2): "½",
    Fraction(5, 8): "⅝",
    Fraction(3, 4): "¾",
    Fraction(7, 8): "⅞",
}
WHY_DONE: dict[Why, str] = {
    "there": "Tuned: no rod is off by more than most people hear.",
    "as near as it gets": "As near as a sixteenth of a turn brings it. Leave it.",
    "not the tuning": (
        "The pitches do not follow the turns. Look at the bearing edge, the hoop and the head "
        "before you turn on."
    ),
    "tap first": "Tap next to each rod first.",
    "tap again": "Tap round again before you turn: the readings are not sure enough yet.",
    "no effect": (
        "The last turns changed nothing, or the wrong way. Check: is a rod bottomed or stripped, "
        "does the key slip, does the hoop bind, was this head tapped, is the other head muted? "
        "Then tap round again."
    ),
}
WHY_NO_TAP: dict[WhyNot, str] = {
    "clipped": "too loud for the microphone: tap softer or move it away",
    "double tap": "two taps too close together: wait until the first has rung",
    "something else sounds": "something else sounds at that pitch: silence the other drums",
    "other head": "the other head rings: lay the drum on a towel",
    "wrong mode": "two pitches compete: tap an inch from the edge, a finger on the middle",
    "cut off": "the clip ends too soon after it",
    "cannot tell": "cannot tell: too much else sounds",
}


def turn_words(turns: float) -> str:
    """Return the size of a turn of the key in words: “⅛”, “1 ¼”, “3/16”."""
    whole, part = divmod(Fraction(abs(turns)).limit_denominator(16), 1)
    text = PARTS.get(part) or (f"{part.numerator}/{part.denominator}" if part else "")
    return " ".join(x for x in (str(whole) if whole else "", text) if x) or "0"


def move_words(rod: int, turns: float) -> str:
    """Return what to do with a rod, counted from 0: “Rod 5: up ⅛”."""
    return f"Rod {rod + 1}: {'up' if turns > 0.0 else 'down'} {turn_words(turns)}"


def turns_say(advice: NextTurns) -> str:
    """Return the next turns in one sentence."""
    if advice.why == "check reading":
        return suspect_words(advice.tap_again)
    if advice.why != "turn":
        return WHY_DONE[advice.why]
    moves = ", ".join(move_words(rod, advice.turns[rod]) for rod in advice.order)
    moves = moves[:1] + moves[1:].replace("Rod", "rod")
    down = any(turns < 0.0 for turns in advice.turns)
    after = f" {down_words()}" if down else ""
    return f"{moves}.{after} Then tap round again."


def down_words() -> str:
    """Return how to turn a rod down so that it does not slip."""
    size = turn_words(parameter("below_by"))
    return f"Where it says down, go {size} of a turn lower and come back up: the rod holds then."


def suspect_words(rods: Sequence[int]) -> str:
    """Return which rods, counted from 0, to tap again before anything is turned."""
    names = " and ".join(str(rod + 1) for rod in rods)
    one = len(rods) == 1
    return (
        f"Tap rod{'' if one else 's'} {names} again before you turn: "
        f"{'its reading is' if one else 'their readings are'} too far from the others to be right."
    )
