"""Why a weighed recipe is as it is: every choice undone by itself, and what that would move.

Conventions
-----------
Numbers come from the same outlook that the search used: a reason says what one choice moves in
steps and what it saves or costs in score, and holds every number it is made of. A *school* is one
side of a disagreement of the trade, shown on this drum.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from emblar.core.acoustics.bend import bend_at_force
from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import (
    USUAL_STRIKER,
    USUAL_WIRES_SETTING,
    Catalogue,
)
from emblar.core.drum import Setup
from emblar.core.naming import voice_title
from emblar.core.notes import note_text
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.costs import LASTING_M
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.microphones import microphone_trouble
from emblar.core.planning.problem import Problem
from emblar.core.planning.promises import broken
from emblar.core.planning.schools import (
    FAVOURED_ON,
    FRONT,
    MUFFLING,
    PORT,
    RELATION,
    SIDES,
    SNARE_SIDE,
    side_taken,
)
from emblar.core.planning.search import NEW_PORT_IN
from emblar.core.planning.sentence import once_long, relation_words
from emblar.core.planning.weighing import Weighed
from emblar.core.quantities.registry import steps

LEAST_STEPS = 0.3
PLAIN_STEPS = 1.5
MUCH_STEPS = 4.0
"""Audible steps below which an effect is a little one, and from which it is a large one."""
LEAST_SCORE = 0.05
FORCE_LEVEL = {"light": 0.6, "medium": 1.0, "hard": 1.6}
"""Amplitude of a player's strokes over a medium stroke's (assumption)."""
MOST_BEND_CENTS = 150.0
"""A hard stroke that bends further gets a caution; twice a medium stroke's bend is normal."""
OPEN_KICK_S = 0.30
"""A kick longer than this counts as open, s."""


@dataclass(frozen=True, slots=True)
class Reason:
    """One reason: what it is about, the sentence, the numbers in it.

    ``numbers`` holds, for a choice: ``score`` and ``score_without``, and per quantity it moves most
    ``with``, ``without`` and ``steps``.
    """

    about: str
    text: str
    numbers: dict[str, float]


@dataclass(frozen=True, slots=True)
class School:
    """One side of a disagreement on this drum: score, and how far it moves each quantity.

    ``favoured`` is the player's own side.
    """

    about: str
    name: str
    chosen: bool
    score: float
    moves: dict[str, float]
    text: str
    favoured: bool = False


class Explainer:
    """Explains one weighed recipe."""

    def __init__(self, row: Weighed, problem: Problem) -> None:
        shelf = problem.shelf
        self.row, self.shelf, self.brief, self.weights = row, shelf, problem.brief, problem.weights
        self.catalogue = shelf.catalogue
        self.target = problem.target(row.voice)
        self.owned = shelf.drums[row.drum]
        self.now = shelf.now_on.get(self.owned.name, ())

        self._asked = self._sides()
        changes = [c for _, _, c in self._undone()] + [c for *_, same, c in self._asked if not same]
        changes = list(dict.fromkeys(changes))
        weighed = problem.weigher(row.voice, row.drum).exactly(changes, row.card["pitch"])
        self._weighed = dict(zip(changes, weighed, strict=True))

    def without(self, change: Setup) -> Weighed | None:
        """Return another recipe for the same drum, weighed alike; None if it is not bearable."""
        result = self._weighed[change]
        return replace(result, short_cents=self.row.short_cents) if result else None

    def reasons(self) -> list[Reason]:
        """Return a reason for every choice that differs from what is there or usual."""
        setup, result = self.row.setup, [self._pitch()]
        for about, says, change in self._undone():
            other = self.without(change)
            if other is None:
                result.append(Reason(about, f"{says}: without it no head bears this pitch.", {}))
                continue
            result.append(self._choice(about, says, other))
        if setup.batter == self.owned.batter and setup.reso == self.owned.reso:
            result.append(self._kept_heads())
        return result

    def _undone(self) -> list[tuple[str, str, Setup]]:
        setup, out = self.row.setup, []
        if setup.batter != self.owned.batter:
            out.append(
                (
                    "batter",
                    _named(self.catalogue.construction(setup.batter).name),
                    replace(setup, batter=self.owned.batter),
                )
            )
        if setup.reso and setup.reso != self.owned.reso and setup.port_in == self.owned.port_in:
            out.append(
                (
                    "reso",
                    f"{_named(head_name(self.owned.kind, 'reso'))}, "
                    f"{self.catalogue.construction(setup.reso).name}",
                    replace(setup, reso=self.owned.reso),
                )
            )
        for one in setup.dampers:
            left = tuple(d for d in setup.dampers if d != one)
            out.append(
                (
                    "damper",
                    _named(self.catalogue.damper(one).name),
                    replace(setup, dampers=left),
                )
            )
        usual = USUAL_STRIKER[self.owned.kind]
        if setup.striker != usual:
            out.append(
                (
                    "striker",
                    _named(self.catalogue.strikers[setup.striker].name),
                    replace(setup, striker=usual),
                )
            )
        if self.owned.kind == "snare" and setup.wires != USUAL_WIRES_SETTING:
            out.append(
                (
                    "wires",
                    _named(self.catalogue.wire_settings[setup.wires].name),
                    replace(setup, wires=USUAL_WIRES_SETTING),
                )
            )
        if setup.reso and setup.semitones:
            words = _named(relation_words(self.owned.kind, setup.semitones))
            out.append(("relation", words, replace(setup, semitones=0.0)))
        as_it_is = replace(setup, reso=self.owned.reso, port_in=self.owned.port_in)
        if setup.reso is None and self.owned.reso is not None:
            out.append(("port", "No front head", as_it_is))
        elif setup.port_in != self.owned.port_in:
            hole = f"A port of {setup.port_in:g} in" if setup.port_in else "A front without hole"
            out.append(("port", hole, as_it_is))
        return out

    def _choice(self, about: str, says: str, other: Weighed) -> Reason:
        row = self.row
        numbers = {"score": row.total, "score_without": other.total}
        moves = _moves(row, other)
        name = max(moves, key=lambda n: abs(moves[n]), default=None)
        if name is None or abs(moves[name]) < LEAST_STEPS:
            text = f"{says}: no audible difference"
        else:
            text = f"{says}: {_effect(name, moves[name], row.card[name], other.card[name])}"
            numbers |= {
                f"{name} with": row.card[name],
                f"{name} without": other.card[name],
                f"{name} steps": moves[name],
            }
            if name in row.apart:
                numbers[f"{name} apart"] = row.apart[name]
        saved = other.total - row.total
        if saved > LEAST_SCORE:
            text += f". Without it the plan is {saved:.1f} steps worse."
        elif saved < -LEAST_SCORE:
            text += f". Kept, although the plan would be {-saved:.1f} steps better without it."
        else:
            text += ". The plan is as good without it."
        return Reason(about, text, numbers)

    def _pitch(self) -> Reason:
        setup, hz = self.row.setup, self.row.card["pitch"]
        numbers = {"drum_pitch_hz": hz, "batter_lug_hz": setup.batter_hz}
        ringing = " with both heads ringing" if setup.reso_hz is not None else ""
        text = (
            f"Lug pitch is not drum pitch. For {hz:.1f} Hz ({note_text(hz)}){ringing}, tune the "
            f"batter to {setup.batter_hz:.0f} Hz at the lugs"
        )
        if setup.reso_hz is not None:
            numbers["reso_lug_hz"] = setup.reso_hz
            text += f", the {head_name(self.owned.kind, 'reso')} {setup.reso_hz:.0f} Hz"
        if self.row.short_cents:
            numbers["missed_cents"] = self.row.short_cents
            text += (
                f". The record's own pitch is {abs(self.row.short_cents):.0f} cents out of reach"
            )
        return Reason("pitch", text + ".", numbers)

    def _kept_heads(self) -> Reason:
        return Reason(
            "heads",
            "The heads that are on it stay: no other pair is worth the work of changing them.",
            {"minutes": self.row.minutes, "distance": self.row.distance},
        )

    def schools(self) -> list[School]:
        """Return both sides of every disagreement that this drum has."""
        return [self._school(*row) for row in self._asked]

    def _sides(self) -> list[tuple[str, str, bool, Setup]]:
        """Return every side: of what, its name, whether it is chosen, the recipe that takes it."""
        setup, kind = self.row.setup, self.owned.kind
        ways: dict[tuple[str, str], dict[str, Any]] = {}
        if setup.reso and kind == "kick":
            for name, semitones in zip(SIDES[FRONT], (2.0, -2.0), strict=True):
                ways[FRONT, name] = {"semitones": semitones}
        elif setup.reso:
            for name, semitones in zip(SIDES[RELATION], (0.0, 3.0, -2.0), strict=True):
                ways[RELATION, name] = {"semitones": semitones}
        if kind == "snare" and setup.reso:
            for name, semitones in zip(SIDES[SNARE_SIDE], (7.0, 1.0), strict=True):
                ways[SNARE_SIDE, name] = {"semitones": semitones}
        if kind == "kick" and setup.reso:
            for name, port in zip(SIDES[PORT], (None, NEW_PORT_IN), strict=True):
                ways[PORT, name] = {"port_in": port}
        for name, on_it in zip(SIDES[MUFFLING], ((), _lightest(setup, kind)), strict=True):
            ways[MUFFLING, name] = {"dampers": on_it}
        request: list[tuple[str, str, bool, Setup]] = []
        for (about, name), change in ways.items():
            same = bool(
                side_taken(
                    about,
                    name,
                    setup.semitones,
                    ported=setup.port_in is not None,
                    dressed=bool(setup.dampers),
                )
            )
            request.append((about, name, same, setup if same else replace(setup, **change)))
        return request

    def _school(self, about: str, name: str, chosen: bool, setup: Setup) -> School:
        other = self.row if chosen else self.without(setup)
        favoured = self.brief.schools.get(about) == name and self.owned.kind in FAVOURED_ON[about]
        if other is None:
            text = "these heads cannot reach this pitch"
            return School(about, name, chosen, 0.0, {}, text, favoured)
        moves = {n: v for n, v in _moves(other, self.row).items() if abs(v) >= LEAST_STEPS}
        if chosen:
            text = "chosen"
        else:
            largest = sorted(once_long(moves), key=lambda n: -abs(moves[n]))[:3]
            words = [f"{_word(n, moves[n])} by {abs(moves[n]):.1f} steps" for n in largest]
            apart = other.total - self.row.total
            way = "better" if apart < 0.0 else "worse"
            text = ", ".join(words) or "no audible difference"
            text += f"; {abs(apart):.1f} steps {way} in all"
        return School(about, name, chosen, other.total, moves, text, favoured)


def _lightest(setup: Setup, kind: str) -> tuple[str, ...]:
    return setup.dampers or (("felt-strip",) if kind == "kick" else ("tape-flag",))


def _word(name: str, steps_: float) -> str:
    step = steps()[name]
    return step.more if steps_ > 0 else step.less


def _named(name: str) -> str:
    return name[:1].upper() + name[1:]


def _effect(name: str, by: float, with_it: float, without: float) -> str:
    """Return what a choice does, how much, and what it would be without: in words and numbers."""
    size = "much " if abs(by) >= MUCH_STEPS else "a little " if abs(by) < PLAIN_STEPS else ""
    word, unit = _word(name, by), steps()[name].unit
    about = "" if name in word else f"{name} "
    digits = {"s": 2, "dB": 1}.get(unit, 0)
    known = f"{size}{word}, {about}{with_it:.{digits}f} instead of {without:.{digits}f} {unit}"
    return known.replace("-", "−")


def _moves(row: Weighed, other: Weighed) -> dict[str, float]:
    """Return how many steps a recipe lies above another per quantity, pitch left out."""
    return {
        name: steps()[name].apart(value, other.card[name])
        for name, value in row.card.items()
        if name in other.card and name != "pitch"
    }


def fit_warnings(chosen: Sequence[Weighed], shelf: Shelf, brief: Brief) -> list[Reason]:
    """Return what a player or an engineer would stumble over in this plan, from its numbers.

    Parameters
    ----------
    chosen
        The recipes, weighed.
    shelf
        What is owned and may be bought.
    brief
        What was asked for.
    """
    result = [
        Reason("promise", text, {})
        for row in chosen
        for text in broken(shelf.catalogue, row, shelf.drums[row.drum], brief)
    ]
    rows = {row.voice: row for row in chosen}
    for row in rows.values():
        result += _by_the_drum(shelf.catalogue, row, shelf.drums[row.drum], brief)
    result += _by_force(shelf.catalogue, rows, brief)
    kick, snare = rows.get("kick"), rows.get("snare")
    if kick and snare and "length" in kick.card and "length" in snare.card:
        ratio = snare.card["length"] / max(kick.card["length"], 1e-3)
        if ratio > 2.0:
            result.append(
                Reason(
                    "feel",
                    "A dead kick next to a lively snare makes people stomp: the snare is "
                    f"{ratio:.1f} times as long.",
                    {"ratio": ratio},
                )
            )
    result += _clashes(list(rows.values()))
    work = sum(row.minutes for row in chosen) / brief.hands
    if brief.minutes is not None and work > brief.minutes:
        result.append(
            Reason(
                "time",
                f"{work:.0f} min of work, but {brief.minutes:.0f} min until it must be "
                "done: take the alternative with the least work, or more hands.",
                {"work_min": work, "left_min": brief.minutes},
            )
        )
    return result + (_by_the_front(kick, brief) if kick else [])


def _by_the_drum(catalogue: Catalogue, row: Weighed, drum: OwnedDrum, brief: Brief) -> list[Reason]:
    """Return warnings on one drum: notes that run together, brushes, and seating its heads."""
    result: list[Reason] = []
    title = voice_title(row.voice)
    gap, length = brief.gap_s(row.voice), row.card.get("length")
    if gap is not None and length is not None and length > gap:
        result.append(
            Reason(
                "tempo",
                f"{title}: {length:.2f} s until it is 20 dB down, but {gap:.2f} s to its next "
                f"note at {brief.tempo_bpm:g} bpm: the notes run together.",
                {"length_s": length, "gap_s": gap},
            )
        )
    batter = catalogue.construction(row.setup.batter)
    if row.setup.striker == "brushes" and not batter.coated:
        text = f"{title}: brushes need a coated batter, but “{batter.name}” is not coated."
        result.append(Reason("feel", text, {}))
    for head in (row.setup.batter, row.setup.reso):
        changed = head not in (None, drum.batter, drum.reso)
        if changed and head and not catalogue.construction(head).may_crack_collar:
            result.append(
                Reason(
                    "seating",
                    f"{title}: do not crack the collar of "
                    f"“{catalogue.construction(head).name}” when you fit it.",
                    {},
                )
            )
    return result


def _by_the_front(kick: Weighed, brief: Brief) -> list[Reason]:
    """Return what a kick's front head has against engineers, stages and microphones."""
    setup, result = kick.setup, []
    closed = setup.reso is not None and setup.port_in is None
    if brief.stage != "studio" and closed:
        result.append(
            Reason(
                "port",
                "Stages and engineers differ: a ported front gives each a place for a "
                "microphone; a closed one does not.",
                {},
            )
        )
    trouble = microphone_trouble(
        brief.kick_microphone, front=setup.reso is not None, port_in=setup.port_in
    )
    return result + ([Reason("microphone", trouble, {})] if trouble else [])


def _by_force(catalogue: Catalogue, rows: Mapping[str, Weighed], brief: Brief) -> list[Reason]:
    """Return what this player's way of striking does to the plan."""
    result = []
    for voice, row in rows.items():
        title = voice_title(voice)
        bend = bend_at_force(max(row.card.get("bend", 0.0), 0.0), FORCE_LEVEL[brief.force])
        if brief.force == "hard" and voice != "kick" and bend > MOST_BEND_CENTS:
            result.append(
                Reason(
                    "force",
                    f"{title}: a hard stroke starts {bend:.0f} cents sharp. Tune it higher or use "
                    "a thicker head for less bend.",
                    {"bend_cents": bend},
                )
            )
        film = catalogue.construction(row.setup.batter).film()
        if brief.force == "hard" and film.thickness_m < LASTING_M:
            result.append(
                Reason(
                    "force",
                    f"{title}: {1000.0 * film.thickness_m:.2f} mm of film will not "
                    "last under hard strokes; bring a spare.",
                    {"film_mm": 1000.0 * film.thickness_m},
                )
            )
    length = rows["kick"].card.get("length", 0.0) if "kick" in rows else 0.0
    if brief.buries_beater and length >= OPEN_KICK_S:
        result.append(
            Reason(
                "force",
                "The beater stays on the head and chokes a kick that rings "
                f"{length:.2f} s: let it bounce off, or plan a shorter one.",
                {"length_s": length},
            )
        )
    return result


def _clashes(rows: Sequence[Weighed]) -> list[Reason]:
    result = []
    for i, one in enumerate(rows):
        for other in rows[i + 1 :]:
            apart = abs(steps()["pitch"].apart(one.card["pitch"], other.card["pitch"])) * 15.0
            if apart < 60.0:
                beat = abs(one.card["pitch"] - other.card["pitch"])
                result.append(
                    Reason(
                        "clash",
                        f"{one.voice} and {other.voice} lie {apart:.0f} cents apart: "
                        f"together they beat {beat:.1f} times a second.",
                        {"cents": apart, "beat_hz": beat},
                    )
                )
            elif apart < 160.0 and "tom" in one.voice + other.voice:
                result.append(
                    Reason(
                        "hum",
                        f"{one.voice} and {other.voice} lie {apart:.0f} cents apart: one "
                        "hums along with the other.",
                        {"cents": apart},
                    )
                )
    return result
