"""Brief: what is asked, and what follows from it."""

from dataclasses import dataclass

from emblar.core.planning.schools import MUFFLING, PORT, RELATION, SIDES, SNARE_SIDE
from emblar.formats.brief import AskFile
from emblar.web.pages.frame import Frame
from emblar.web.pages.kit import Option

SCHOOL_FIELDS = {
    "school_heads": RELATION,
    "school_snare_side": SNARE_SIDE,
    "school_port": PORT,
    "school_muffling": MUFFLING,
}
SCHOOL_LABELS = {
    "school_heads": "Heads of a tom",
    "school_snare_side": "Snare side",
    "school_port": "Kick's front",
    "school_muffling": "Muffling",
}
FORCES = {"light": "lightly", "medium": "medium", "hard": "hard"}


@dataclass(frozen=True, slots=True)
class SchoolChoice:
    """A disagreement of the trade and what may be chosen of it."""

    name: str
    label: str
    options: tuple[Option, ...]


@dataclass(frozen=True, slots=True)
class BriefPage:
    """Everything the Brief screen shows."""

    ask: AskFile
    downbeat_at: str
    tempo: str
    forces: tuple[Option, ...]
    schools: tuple[SchoolChoice, ...]
    follows: tuple[str, ...]


def brief_page(around: Frame, ask: AskFile) -> BriefPage:
    """Return the Brief screen."""
    at = around.session.downbeat_at
    return BriefPage(
        ask=ask,
        downbeat_at=at.astimezone().strftime("%Y-%m-%dT%H:%M") if at else "",
        tempo=f"{ask.tempo_bpm:g}" if ask.tempo_bpm else "",
        forces=tuple(Option(v, text, v == ask.force) for v, text in FORCES.items()),
        schools=tuple(_school(name, about, ask) for name, about in SCHOOL_FIELDS.items()),
        follows=tuple(_follows(ask)),
    )


def _school(name: str, about: str, ask: AskFile) -> SchoolChoice:
    own = ask.schools.get(about, "")
    sides = (Option(side, side, side == own) for side in SIDES[about])
    return SchoolChoice(
        name, SCHOOL_LABELS[name], (Option("", "let Emblar choose", not own), *sides)
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
    if ask.schools:
        out.append(
            "What goes against a school of yours must be worth two steps: "
            f"{', '.join(ask.schools[about] for about in SIDES if about in ask.schools)}."
        )
    if ask.force == "hard":
        out.append("Struck hard, thin heads do not last: a thin batter must be worth its wear.")
    if ask.leave_room:
        out.append(
            "Plans aim a step longer and half a step brighter than the record: the desk can take "
            "away, not add."
        )
    return out
