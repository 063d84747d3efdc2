"""Corrections by ear: strokes moved, added and taken out, toms split and merged; all undoable.

Conventions
-----------
An edit is the hits it takes away and the hits it puts in; undoing it swaps the two. A hit that a
person placed has confidence 1. Toms stay numbered from high to low.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from emblar.core.analysis.card.clean import AnalysedHit
from emblar.core.errors import ConflictError, InputError
from emblar.core.naming import counted, voice_title
from emblar.core.voices import VoiceName, checked_voice, is_tom

Hits = Sequence[AnalysedHit]
SAME_S = 1e-4
SEEN_S = 6e-4
REPLAY_S = 0.03
"""Strokes this near are one; a person's time of a stroke is told to the millisecond."""
LEAST_SPLIT_CENTS = 15.0
"""Strokes of one drum lie closer than this, from one to the next."""


MOST_NAMED = 3
"""Strokes that are named one by one in a sentence."""


@dataclass(frozen=True, slots=True)
class Edit:
    """One correction."""

    says: str
    removed: tuple[AnalysedHit, ...]
    added: tuple[AnalysedHit, ...]
    renamed: tuple[tuple[str, str], ...] = ()
    """Toms that got another number: old name, new name."""

    def undone(self) -> "Edit":
        """Return the edit that takes this one back."""
        back = tuple((new, old) for old, new in self.renamed)
        return Edit(self.says, self.added, self.removed, back)

    def voices(self) -> set[str]:
        """Return the voices whose strokes change."""
        return {h.voice for h in (*self.removed, *self.added)}


def applied(hits: Hits, edit: Edit) -> list[AnalysedHit]:
    """Return the hits after an edit, in time.

    Raises
    ------
    ConflictError
        What it takes away is not there (any more).
    """
    left = list(hits)
    for gone in edit.removed:
        index = next(
            (
                i
                for i, hit in enumerate(left)
                if hit.voice == gone.voice and abs(hit.time_s - gone.time_s) < SAME_S
            ),
            None,
        )
        if index is None:
            raise _changed(gone.time_s, gone.voice)
        del left[index]
    return sorted([*left, *edit.added], key=lambda h: (h.time_s, h.voice))


def _spoken(voice: str) -> str:
    return voice.replace("-", " ")


def _changed(time_s: float, voice: str) -> ConflictError:
    return ConflictError(
        f"The {_spoken(voice)} stroke at {time_s:.2f} s is not there any more: it was "
        "changed meanwhile, perhaps in another window. Nothing was changed; load the page again."
    )


@dataclass(frozen=True, slots=True)
class Seen:
    """A stroke as a person saw it: when, on which drum."""

    time_s: float
    voice: str


def _hit(hits: Hits, seen: Seen) -> AnalysedHit:
    for hit in hits:
        if hit.voice == seen.voice and abs(hit.time_s - seen.time_s) < SEEN_S:
            return hit
    raise _changed(seen.time_s, seen.voice)


def move(hits: Hits, seen: Sequence[Seen], voice: str) -> Edit:
    """Give strokes to another voice; those that are on it already stay.

    A stroke stays where it is if the other voice has one at the same time; the edit names it.

    Parameters
    ----------
    hits
        The strokes of the recording, ascending.
    seen
        Strokes as they are shown: time and voice.
    voice
        Voice to give them to.

    Raises
    ------
    ConflictError
        A stroke is not there, or not on that drum, any more.
    InputError
        There is none to move, or that voice has a stroke at the time of each of them.
    """
    checked_voice(voice)
    chosen = [hit for hit in (_hit(hits, one) for one in seen) if hit.voice != voice]
    if not chosen:
        raise InputError("Choose a stroke first, then the drum it belongs to.")
    taken = [h.time_s for h in hits if h.voice == voice]
    movable: list[AnalysedHit] = []
    staying: list[AnalysedHit] = []
    for hit in chosen:
        clash = any(abs(time - hit.time_s) < SAME_S for time in taken)
        (staying if clash else movable).append(hit)
        taken.append(hit.time_s)
    stay = ", ".join(f"{hit.time_s:.2f} s" for hit in staying[:MOST_NAMED])
    if not movable:
        raise InputError(
            f"There is a {_spoken(voice)} stroke at {stay} already. Remove one of them instead."
        )
    if len(movable) == 1:
        says = f"Stroke at {movable[0].time_s:.2f} s moved from {_spoken(movable[0].voice)}"
    else:
        says = f"{len(movable)} strokes moved"
    says += f" to {_spoken(voice)}"
    if staying:
        more = " and others" if len(staying) > MOST_NAMED else ""
        says += f"; {len(staying)} stayed: {_spoken(voice)} has a stroke at {stay}{more} already"
    added = tuple(replace(hit, voice=voice, confidence=1.0) for hit in movable)
    return Edit(says, tuple(movable), added)


def take_out(hits: Hits, seen: Sequence[Seen]) -> Edit:
    """Take strokes out.

    Raises
    ------
    ConflictError
        A stroke is not there, or not on that drum, any more.
    InputError
        There is none to take out.
    """
    result = tuple(_hit(hits, one) for one in seen)
    if not result:
        raise InputError("Choose a stroke first.")
    if len(result) > 1:
        return Edit(f"{len(result)} strokes removed", result, ())
    name = voice_title(result[0].voice)
    return Edit(f"{name} stroke at {result[0].time_s:.2f} s removed", result, ())


def take_out_voice(hits: Hits, voice: str) -> Edit:
    """Take a whole voice out: a drum that is not on the record; toms below it move up.

    Raises
    ------
    InputError
        It has no stroke.
    """
    voice_hits = tuple(h for h in hits if h.voice == voice)
    if not voice_hits:
        raise InputError(f"There is no {_spoken(voice)} on the record.")
    says = f"{voice_title(voice)} removed, {counted(len(voice_hits), 'stroke')}"
    if not is_tom(voice):
        return Edit(says, voice_hits, ())
    number = _number(voice)
    later = [h for h in hits if is_tom(h.voice) and _number(h.voice) > number]
    moved = tuple(replace(h, voice=VoiceName.tom(_number(h.voice) - 1)) for h in later)
    return Edit(says, (*voice_hits, *later), moved, _renamed(later, -1))


def give_voice(hits: Hits, voice: str, to: str) -> Edit:
    """Give all strokes of a voice to another; of two at one time one stays.

    Parameters
    ----------
    hits
        The strokes of the recording, ascending.
    voice
        Voice that is given away.
    to
        Voice that takes its strokes.

    Raises
    ------
    InputError
        It has no stroke, or it is that voice.
    """
    checked_voice(to)
    voice_hits = [h for h in hits if h.voice == voice]
    if not voice_hits or voice == to:
        raise InputError(f"There is no {_spoken(voice)} to make {_spoken(to)} of.")
    if is_tom(voice) and is_tom(to):
        raise InputError("To merge two toms, use the button under Toms on the higher one.")
    available = [h.time_s for h in hits if h.voice == to]
    added = tuple(
        replace(h, voice=to, confidence=1.0)
        for h in voice_hits
        if not any(abs(h.time_s - t) < SEEN_S for t in available)
    )
    says = f"{voice_title(voice)} made {_spoken(to)}, {counted(len(voice_hits), 'stroke')}"
    if not is_tom(voice):
        return Edit(says, tuple(voice_hits), added)
    number = _number(voice)
    later = [h for h in hits if is_tom(h.voice) and _number(h.voice) > number]
    moved = tuple(replace(h, voice=VoiceName.tom(_number(h.voice) - 1)) for h in later)
    return Edit(says, (*voice_hits, *later), (*added, *moved), _renamed(later, -1))


def replayed(hits: Hits, edits: Sequence[Edit]) -> tuple[list[AnalysedHit], list[Edit | None]]:
    """Make corrections again on strokes that were found anew.

    Parameters
    ----------
    hits
        The strokes, as a later analysis found them: about where they were, to ``REPLAY_S``.
    edits
        The corrections that stand, oldest first.

    Returns
    -------
    tuple
        The corrected strokes; each correction as it was made now, None where it could not be.
    """
    current, made = list(hits), list[Edit | None]()
    for edit in edits:
        try:
            fitted = _fitted(current, edit)
        except ConflictError:
            made.append(None)
            continue
        current = applied(current, fitted)
        made.append(fitted)
    return current, made


def _fitted(hits: Hits, edit: Edit) -> Edit:
    """Return an edit with the strokes it takes away as they are found now."""
    new_times: dict[float, float] = {}
    removed = []
    for gone in edit.removed:
        near = [h for h in hits if h.voice == gone.voice and abs(h.time_s - gone.time_s) < REPLAY_S]
        if not near:
            raise _changed(gone.time_s, gone.voice)
        result = min(near, key=lambda h: abs(h.time_s - gone.time_s))
        removed.append(result)
        new_times[gone.time_s] = result.time_s
    added = tuple(replace(h, time_s=new_times.get(h.time_s, h.time_s)) for h in edit.added)
    return replace(edit, removed=tuple(removed), added=added)


def put_in(hits: Hits, time_s: float, voice: str, level_db: float) -> Edit:
    """Put a stroke in where none was found.

    Parameters
    ----------
    hits
        The strokes of the recording, ascending.
    time_s
        When, s.
    voice
        Voice it is on.
    level_db
        Its level, dB re full scale.

    Raises
    ------
    InputError
        There is a stroke of that voice there already.
    """
    checked_voice(voice)
    if any(h.voice == voice and abs(h.time_s - time_s) < SEEN_S for h in hits):
        raise InputError(f"There is a {_spoken(voice)} stroke there already.", field="time_s")
    hit = AnalysedHit(time_s, voice, level_db, 1.0, False)
    return Edit(f"{voice_title(voice)} stroke added at {time_s:.2f} s", (), (hit,))


def _number(voice: str) -> int:
    number = VoiceName(voice).number
    if number is None:
        raise InputError(f"{voice_title(voice)} is no tom: only toms are split and merged.")
    return number


def split_tom(hits: Hits, voice: str, pitches_hz: Sequence[float | None]) -> Edit:
    """Make two toms of one, at the widest gap between its strokes' pitches.

    Parameters
    ----------
    hits
        All hits.
    voice
        The tom.
    pitches_hz
        Pitch of each of its strokes in order of time, None where it cannot be told.

    Raises
    ------
    InputError
        Its strokes are too few, or all of one pitch.
    """
    number = _number(voice)
    voice_hits = [h for h in hits if h.voice == voice]
    known = sorted(p for p in pitches_hz if p is not None)
    if len(known) < 2:
        raise InputError(
            f"{voice_title(voice)} has too few strokes whose pitch can be read to be two drums."
        )
    steps = 1200.0 * np.diff(np.log2(known))
    if float(steps.max()) < LEAST_SPLIT_CENTS:
        raise InputError(
            f"All strokes of {_spoken(voice)} lie within {steps.max():.0f} cents of the next: that "
            "is one drum. Move single strokes instead."
        )
    border = float(np.sqrt(known[int(np.argmax(steps))] * known[int(np.argmax(steps)) + 1]))
    lower = [h for h, p in zip(voice_hits, pitches_hz, strict=True) if p is not None and p < border]
    after = [h for h in hits if is_tom(h.voice) and _number(h.voice) > number]
    moved = [replace(h, voice=VoiceName.tom(number + 1), confidence=1.0) for h in lower]
    moved += [replace(h, voice=VoiceName.tom(_number(h.voice) + 1)) for h in after]
    says = f"{voice_title(voice)} split at {border:.0f} Hz"
    return Edit(says, (*lower, *after), tuple(moved), _renamed(after, 1))


def _renamed(hits: Hits, by: int) -> tuple[tuple[str, str], ...]:
    return tuple(
        (VoiceName.tom(n), VoiceName.tom(n + by)) for n in sorted({_number(h.voice) for h in hits})
    )


def merge_tom(hits: Hits, voice: str) -> Edit:
    """Make one tom of this and the next lower one.

    Raises
    ------
    InputError
        There is no tom below it.
    """
    number = _number(voice)
    next_lower = VoiceName.tom(number + 1)
    if not any(h.voice == next_lower for h in hits):
        raise InputError(f"There is no tom below {_spoken(voice)} to merge it with.")
    later = [h for h in hits if is_tom(h.voice) and _number(h.voice) > number]
    moved = [replace(h, voice=VoiceName.tom(_number(h.voice) - 1)) for h in later]
    farther = [h for h in later if h.voice != next_lower]
    says = f"{voice_title(voice)} and {_spoken(next_lower)} made one"
    return Edit(says, tuple(later), tuple(moved), _renamed(farther, -1))
