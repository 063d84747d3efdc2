"""Brief: what is asked, and what follows from it."""

from collections.abc import Mapping
from dataclasses import dataclass

from emblar.core.planning.schools import FRONT, MUFFLING, PORT, RELATION, SIDES, SNARE_SIDE
from emblar.core.planning.styles import shunned
from emblar.formats.brief import AskFile
from emblar.steps.kit.page import Option
from emblar.steps.workspace.page import Frame

SCHOOL_FIELDS = {
    "school_heads": RELATION,
    "school_snare_side": SNARE_SIDE,
    "school_port": PORT,
    "school_front": FRONT,
    "school_muffling": MUFFLING,
}
SCHOOL_LABELS = {
    "school_heads": "Heads of a tom",
    "school_snare_side": "Snare side",
    "school_port": "Kick's front head",
    "school_front": "Kick's front against batter",
    "school_muffling": "Muffling",
}
REBOUNDS = {"any": "any", "lively": "lively", "soft": "soft"}
STAGES = {"studio": "studio", "live": "live", "both": "both"}
KICK_MICROPHONES = {
    "": "not decided",
    "inside": "inside",
    "outside": "outside, in front",
    "both": "inside and outside",
    "batter side": "batter side",
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
    minutes: str
    kick_figure: str
    tom_figure: str
    forces: tuple[Option, ...]
    rebounds: tuple[Option, ...]
    stages: tuple[Option, ...]
    kick_microphones: tuple[Option, ...]
    schools: tuple[SchoolChoice, ...]
    follows: tuple[str, ...]


def brief_page(around: Frame, ask: AskFile) -> BriefPage:
    """Return the Brief screen."""
    downbeat = around.session.downbeat_at
    return BriefPage(
        ask=ask,
        downbeat_at=downbeat.astimezone().strftime("%Y-%m-%dT%H:%M") if downbeat else "",
        tempo=f"{ask.tempo_bpm:g}" if ask.tempo_bpm else "",
        minutes=f"{ask.minutes:g}" if ask.minutes else "",
        kick_figure=f"{ask.kick_notes_per_beat:g}" if ask.kick_notes_per_beat else "",
        tom_figure=f"{ask.tom_notes_per_beat:g}" if ask.tom_notes_per_beat else "",
        forces=_options(FORCES, ask.force),
        rebounds=_options(REBOUNDS, ask.rebound),
        stages=_options(STAGES, ask.stage),
        kick_microphones=_options(KICK_MICROPHONES, ask.kick_microphone),
        schools=tuple(_school(name, about, ask) for name, about in SCHOOL_FIELDS.items()),
        follows=tuple(_follows(ask)),
    )


def _options(rows: Mapping[str, str], chosen: str) -> tuple[Option, ...]:
    return tuple(Option(value, text, value == chosen) for value, text in rows.items())


def _school(name: str, about: str, ask: AskFile) -> SchoolChoice:
    choice = ask.schools.get(about, "")
    sides = (Option(side, side, side == choice) for side in SIDES[about])
    return SchoolChoice(
        name, SCHOOL_LABELS[name], (Option("", "let Emblar choose", not choice), *sides)
    )


def _follows(ask: AskFile) -> list[str]:
    brief, out = ask.brief(), []
    for voice, name in (("kick", "kick"), ("tom-1", "toms")):
        gap = brief.gap_s(voice)
        if gap is not None:
            out.append(
                f"At {ask.tempo_bpm:g} bpm the fastest notes on the {name} are {gap:.2f} s "
                "apart: a note should be 20 dB down by then."
            )
    if not out:
        out.append("Enter a tempo and the fastest figure to be told which notes run together.")
    if ask.only_owned:
        out.append("Nothing will be bought: only heads that are there.")
    elif not ask.keep_heads:
        out.append(f"Up to {ask.budget_heads} heads may be bought; each has to gain two steps.")
    if ask.keep_heads:
        out.append("Heads stay as they are: the plan tunes and muffles only.")
    if ask.never_cut:
        out.append("No hole will be cut.")
    else:
        out.append("A port may be cut where it is worth five steps. It cannot be undone.")
    return [*out, *_by_player_and_place(ask)]


def _by_player_and_place(ask: AskFile) -> list[str]:
    out = []
    if ask.schools:
        out.append(
            "Plans keep to your schools, and say so where they cannot: "
            f"{', '.join(ask.schools[about] for about in SIDES if about in ask.schools)}."
        )
    if ask.force == "hard":
        out.append(
            "Thin heads do not last under hard strokes: a thin batter has to make up for its wear."
        )
    if ask.rebound != "any":
        other = "half as tight as" if ask.rebound == "lively" else "twice as tight as"
        out.append(
            f"Rebound should be {ask.rebound}: a batter {other} usual counts as a step and a half "
            "against a plan."
        )
    if ask.stage != "studio":
        out.append(
            "On stage most engineers want a port: a closed front counts as a step against a plan."
        )
    if ask.engineer_wants_hole and ask.never_cut:
        get = "borrow" if ask.brief().most_bought == 0 else "borrow or buy"
        out.append(
            f"The engineer wants a port, but you do not allow cutting one: {get} a ported front "
            "head, or allow the cut below."
        )
    elif ask.engineer_wants_hole:
        out.append("The engineer wants a port: a closed front head gets one.")
    if any(shunned(ask.style)):
        out.append(f"Heads and dampers that {ask.style} is not played on are left out if possible.")
    if ask.leave_room:
        out.append(
            "Plans aim a step longer and half a step brighter than the record: the desk can take "
            "away, not add."
        )
    return out
