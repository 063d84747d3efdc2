"""The voices of a record: kick, snare, hat, cymbal, and toms numbered from high to low."""

from typing import Literal

from emblar.core.errors import InputError

VoiceKind = Literal["kick", "snare", "tom", "hat", "cymbal"]
TUNED: tuple[VoiceKind, ...] = ("kick", "snare", "tom")
"""What drums play; hats and cymbals are noted, not tuned."""
UNNUMBERED: tuple[VoiceKind, ...] = ("kick", "snare", "hat", "cymbal")
TOM_NUMBERS = frozenset("123456789")
ORDER = {"kick": 0, "snare": 1, "tom": 2, "hat": 3, "cymbal": 4}


class VoiceName(str):
    """The name of a voice, for example ``"snare"`` or ``"tom-2"``."""

    __slots__ = ()

    @classmethod
    def tom(cls, number: int) -> "VoiceName":
        """Return the name of a tom, counted from 1, high to low."""
        return cls(f"tom-{number}")

    @property
    def kind(self) -> str:
        """What plays it: a ``VoiceKind`` if it is a voice at all."""
        return self.partition("-")[0]

    @property
    def number(self) -> int | None:
        """Which tom, counted from 1, high to low; None of what is no tom."""
        kind, _, number = self.partition("-")
        return int(number) if kind == "tom" and number.isdecimal() else None

    @property
    def is_tuned(self) -> bool:
        """Whether a drum plays it."""
        return self in TUNED or self.number is not None

    @property
    def order(self) -> tuple[int, str]:
        """Sorts as people read: kick, snare, toms high to low, hat, cymbal."""
        return ORDER.get(self.kind, ORDER["tom"]), f"{self:>8}"


def is_tom(voice: str) -> bool:
    """Whether a voice is a tom."""
    return VoiceName(voice).number is not None


def checked_voice(voice: str) -> VoiceName:
    """Return the name of a voice.

    Raises
    ------
    InputError
        There is no such voice.
    """
    if voice in UNNUMBERED or (voice[:4] == "tom-" and voice[4:] in TOM_NUMBERS):
        return VoiceName(voice)
    raise InputError(f"“{voice}” is no voice: use {', '.join(UNNUMBERED)} or tom-1, tom-2, …")


def voice_order(voice: str) -> tuple[int, str]:
    """Return the sort key of a voice: see ``VoiceName.order``."""
    return VoiceName(voice).order
