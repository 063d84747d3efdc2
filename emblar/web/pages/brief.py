"""Brief: what is asked, and what follows from it."""

from dataclasses import dataclass

from emblar.formats.brief import AskFile
from emblar.web.pages.frame import Frame


@dataclass(frozen=True, slots=True)
class BriefPage:
    """Everything the Brief screen shows."""

    ask: AskFile
    downbeat_at: str
    tempo: str
    follows: tuple[str, ...]


def brief_page(around: Frame, ask: AskFile) -> BriefPage:
    """Return the Brief screen."""
    at = around.session.downbeat_at
    return BriefPage(
        ask=ask,
        downbeat_at=at.astimezone().strftime("%Y-%m-%dT%H:%M") if at else "",
        tempo=f"{ask.tempo_bpm:g}" if ask.tempo_bpm else "",
        follows=tuple(_follows(ask)),
    )


def _follows(ask: AskFile) -> list[str]:
    brief, out = ask.brief(), []
    for voice, name in (("kick", "kick"), ("tom-1", "toms")):
        gap = brief.gap_s(voice)
        if gap is not None:
            out.append(
                f"At {ask.tempo_bpm:g} a minute the fastest notes on the {name} are {gap:.2f} s "
                "apart: a note should be 20 dB down by then."
            )
    if not out:
        out.append("With a tempo and the fastest figure follows how long each note may last.")
    if ask.only_owned:
        out.append("Nothing will be bought: only heads that are there.")
    elif not ask.keep_heads:
        out.append(f"Up to {ask.budget_heads} heads may be bought; each must be worth two steps.")
    if ask.keep_heads:
        out.append("Heads stay as they are: the plan tunes and muffles only.")
    if ask.never_cut:
        out.append("No hole will be cut.")
    else:
        out.append("A port may be cut where it is worth five steps. It cannot be undone.")
    if ask.leave_room:
        out.append(
            "Plans aim a step longer and half a step brighter than the record: the desk can take "
            "away, not add."
        )
    return out
