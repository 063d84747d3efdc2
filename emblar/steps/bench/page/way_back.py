"""The way from one setup of a drum to another, in words."""

from collections.abc import Sequence
from dataclasses import dataclass

from emblar.core.catalogue import Catalogue
from emblar.core.matching.way_back import RodTurn, WayBack
from emblar.core.naming import lower_first
from emblar.formats.turn_words import turn_words
from emblar.steps.kit.page import Option
from emblar.steps.match.actions.comparison import Match
from emblar.steps.match.page.comparison import take_names


@dataclass(frozen=True, slots=True)
class WayPage:
    """A way to a setup: where to, from where it may be asked, what to do, how long."""

    setup_id: int
    title: str
    lines: tuple[str, ...]
    starts: tuple[Option, ...]
    from_now: bool
    taps: bool


def way_page(
    catalogue: Catalogue, matched: Match, way: WayBack, setup_id: int, from_id: int | None
) -> WayPage:
    """Return the way to a setup from how the drum is now, or from another setup with a take."""
    names = take_names(matched.takes)
    current = matched.bench.setup.id
    title = f"The way to {names.get(setup_id, 'that setup')}"
    if way.minutes:
        title += f", about {way.minutes:.0f} min"
    others = {id_: name for id_, name in names.items() if id_ not in (current, setup_id, 0)}
    starts = (
        Option("", "how it is now", from_id is None),
        *(Option(str(id_), name, id_ == from_id) for id_, name in others.items()),
    )
    return WayPage(
        setup_id,
        title,
        way_words(catalogue, way, matched.bench.drum.owned.rods),
        starts,
        from_id is None,
        bool(way.pitches),
    )


def way_words(catalogue: Catalogue, way: WayBack, rods: int) -> tuple[str, ...]:
    """Return the way to a setup of a drum with so many rods a head, a line a step."""
    if way.nothing:
        return ("The drum is already set up like this.",)
    rows = [
        f"Fit on the {side}: {lower_first(catalogue.construction(made).name)}."
        for side, made in way.fit.items()
    ]
    rows += [
        f"Tune the {side} from slack in Bench: it was let down or exchanged in between."
        for side in way.refit
    ]
    for side, turns in way.turns.items():
        rows.append(f"{side.capitalize()}: {_rods_words(turns, rods)}.")
    rows += [f"Put on: {lower_first(catalogue.damper(d).name)}." for d in way.damp]
    rows += [f"Take off: {lower_first(catalogue.damper(d).name)}." for d in way.undamp]
    if way.wires:
        words = catalogue.wire_settings[way.wires].name
        rows.append(f"{words[:1].upper()}{words[1:]}.")
    if way.striker:
        rows.append(f"Strike with {lower_first(catalogue.strikers[way.striker].name)}.")
    unknown = [side for side in way.turns if side not in way.pitches]
    if unknown:
        rows.append(
            f"The {' and '.join(unknown)} was not tapped then, so only turns lead back: take a "
            "stroke and look whether it is where it was."
        )
    if way.pitches:
        stood = ", ".join(f"{side} {hz:.0f} Hz" for side, hz in way.pitches.items())
        rows.append(
            f"Tap round in Bench and bring it to where it stood: {stood}. A turn is never quite "
            "the same."
        )
    return tuple(rows)


def _rods_words(turns: Sequence[RodTurn], rods: int) -> str:
    """Return what to turn, rods that go alike together."""
    alike: dict[tuple[float, float], list[int]] = {}
    for turn in turns:
        alike.setdefault((turn.down, turn.up), []).append(turn.rod + 1)
    return "; ".join(
        f"{_which(numbers, rods)} {_turn_words(*turn)}" for turn, numbers in alike.items()
    )


def _which(numbers: Sequence[int], rods: int) -> str:
    if len(numbers) == rods:
        return "every rod"
    if len(numbers) == 1:
        return f"rod {numbers[0]}"
    return f"rods {', '.join(str(n) for n in numbers[:-1])} and {numbers[-1]}"


def _turn_words(down: float, up: float) -> str:
    return f"down {turn_words(down)}, then up {turn_words(up)}" if down else f"up {turn_words(up)}"
