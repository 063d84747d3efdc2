"""Setlist: which songs, in which order, and a sheet for every change between them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from emblar.core.acoustics.drum import Side
from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.evening.setlist import Change
from emblar.core.naming import lower_first
from emblar.core.planning.kit import OwnedDrum
from emblar.formats.turn_words import turn_words
from emblar.steps.setlist.actions import SetlistView, SongInfo, turns_of

SIXTEENTH = 16


@dataclass(frozen=True, slots=True)
class SongField:
    """A planned song that may be put on the list, with its place as typed."""

    id: int
    name: str
    artist: str
    place: str


@dataclass(frozen=True, slots=True)
class Placed:
    """A song in its place: minutes and what to do before it, drum by drum; what it gives up."""

    name: str
    href: str
    minutes: str
    changes: tuple[tuple[str, tuple[str, ...]], ...]
    given_up: str


@dataclass(frozen=True, slots=True)
class SetlistPage:
    """Everything the Setlist page shows."""

    fields: tuple[SongField, ...]
    free_order: bool
    problem: str
    sentence: str
    songs: tuple[Placed, ...]
    json_href: str


def setlist_page(
    catalogue: Catalogue,
    songs: Sequence[SongInfo],
    places: Mapping[int, str],
    *,
    free_order: bool,
    view: SetlistView | None,
    problem: str,
    query: str,
) -> SetlistPage:
    """Return the page, with what was found if anything was asked."""
    fields = tuple(SongField(s.id, s.name, s.artist, places.get(s.id, "")) for s in songs)
    placed = _placed(catalogue, view) if view is not None else ()
    return SetlistPage(
        fields,
        free_order,
        problem,
        _sentence(view) if view is not None else "",
        placed,
        f"/setlist.json?{query}" if view is not None else "",
    )


def _sentence(view: SetlistView) -> str:
    known = view.result
    steps = (
        f"{known.steps:.1f} audible steps given up in all"
        if known.steps >= 0.05
        else ("every song as it was planned")
    )
    if known.minutes < 0.5:
        return f"Nothing has to be changed between these songs; {steps}."
    return f"About {known.minutes:.0f} min of changes between the songs; {steps}."


def _placed(catalogue: Catalogue, view: SetlistView) -> tuple[Placed, ...]:
    rows = []
    for i, chosen, changes in zip(
        view.result.order, view.result.chosen, view.result.changes, strict=True
    ):
        song, info = view.requests[i], view.songs[i]
        lines = []
        for key, done in changes.items():
            if not done.nothing:
                owned, setup = view.drums[key], song.offers[key][chosen[key]].setup
                lines.append((owned.name, _words(catalogue, owned, setup, done)))
        minutes = sum(done.minutes for done in changes.values())
        known = [
            f"{view.drums[key].name} {song.offers[key][index].steps:.1f}"
            for key, index in chosen.items()
            if song.offers[key][index].steps >= 0.05
        ]
        rows.append(
            Placed(
                info.name,
                f"/sessions/{info.id}/sheet",
                f"{minutes:.0f} min" if lines else "",
                tuple(lines),
                f"Off its plan, in audible steps: {', '.join(known)}." if known else "",
            )
        )
    return tuple(rows)


def _words(catalogue: Catalogue, owned: OwnedDrum, setup: Setup, done: Change) -> tuple[str, ...]:
    """Return what is done on a drum, the quickest first."""
    rows = [f"{lower_first(catalogue.damper(row).name)} off" for row in done.off]
    rows += [f"{lower_first(catalogue.damper(row).name)} on" for row in done.on]
    if done.wires:
        rows.append(catalogue.wire_settings[done.wires].name)
    if done.striker:
        rows.append(f"with the {lower_first(catalogue.strikers[done.striker].name)}")
    turns = turns_of(catalogue, owned, setup, done)
    for side, by in done.tuned.items():
        hz = setup.batter_hz if side == "batter" else setup.reso_hz or 0.0
        way = "up" if by > 0.0 else "down"
        size = turn_words(max(round(abs(turns.get(side, 0.0)) * SIXTEENTH) / SIXTEENTH, 1 / 16))
        below = ", below and up again" if by < 0.0 else ""
        rows.append(
            f"{head_name(owned.kind, side)} {way} {abs(by):.0f} ct to {hz:.0f} Hz: about {size} "
            f"of a turn on every rod{below}"
        )
    rows += [_new_head(catalogue, owned, setup, side) for side in done.heads]
    return tuple(rows)


def _new_head(catalogue: Catalogue, owned: OwnedDrum, setup: Setup, side: Side) -> str:
    made = setup.batter if side == "batter" else setup.reso
    name = head_name(owned.kind, side)
    if made is None:
        return f"{name} off"
    hz = setup.batter_hz if side == "batter" else setup.reso_hz or 0.0
    return f"new {name}: {lower_first(catalogue.construction(made).name)}, to {hz:.0f} Hz"
