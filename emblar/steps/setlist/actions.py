"""Setlist: several sessions' songs on one kit in one evening, with the fewest changes between."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from emblar.core.acoustics.drum import Side
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.errors import EmblarError, InputError
from emblar.core.evening.setlist import Change, Offer, SetDrum, Setlist, Song, plan_setlist
from emblar.core.planning.kit import OwnedDrum, model, wearing
from emblar.core.planning.problem import Problem
from emblar.core.planning.search import DrumSearch
from emblar.core.tuning.head_response import goal_per_turn
from emblar.formats.plan import DrumPlanFile
from emblar.platform.studio import Studio
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.measuring import measured_record
from emblar.steps.plan.actions.planning import latest_plan, task_of, the_shelf
from emblar.steps.sessions.actions.editing import all_sessions, brief_of, one_session

MOST_SONGS = 20


@dataclass(frozen=True, slots=True)
class SongInfo:
    """A session that is planned, so that its song can be played."""

    id: int
    name: str
    artist: str


@dataclass(frozen=True, slots=True)
class SetlistView:
    """Songs in the order asked for, what was found, and the drums by their key in it."""

    songs: tuple[SongInfo, ...]
    drums: Mapping[str, OwnedDrum]
    requests: tuple[Song, ...]
    result: Setlist


def planned_songs(studio: Studio) -> list[SongInfo]:
    """Return the sessions that have a plan, the newest first."""
    return [
        SongInfo(s.id, s.name, s.artist) for s in all_sessions(studio) if s.plan_version is not None
    ]


def setlist(studio: Studio, session_ids: Sequence[int], *, free_order: bool) -> SetlistView:
    """Return how to play songs on one kit.

    Parameters
    ----------
    session_ids
        The songs' sessions in the order asked for.
    free_order
        Whether the order may be chosen.

    Raises
    ------
    InputError
        There are fewer than two songs, one has no plan, or two do not share a drum.
    """
    if not 2 <= len(session_ids) <= MOST_SONGS:
        raise InputError(f"Choose two songs at least, and up to {MOST_SONGS}.")
    infos, plans = [], []
    for session_id in session_ids:
        session = one_session(studio, session_id)
        infos.append(SongInfo(session.id, session.name, session.artist))
        plans.append(_of_song(studio, session_id))
        if not plans[-1]:
            raise InputError(f"“{session.name}” is not planned yet. Plan its kit first.")
    drums = {str(d.drum_id): d.owned for song_drums in plans for d, _ in song_drums}
    if len(drums) == sum(len(song_drums) for song_drums in plans):
        raise InputError("These songs share no drum. Use one kit in both: Kit, “use a kit”.")
    songs = tuple(
        Song(info.name, _offers(studio, info.id, song_drums, plans[:i] + plans[i + 1 :]))
        for i, (info, song_drums) in enumerate(zip(infos, plans, strict=True))
    )
    known = {key: SetDrum(owned.kind, owned.rods) for key, owned in drums.items()}
    best = plan_setlist(studio.catalogue(), known, songs, free_order=free_order)
    return SetlistView(tuple(infos), drums, songs, best)


Planned = list[tuple[KitDrum, DrumPlanFile]]


def _of_song(studio: Studio, session_id: int) -> Planned:
    plan = latest_plan(studio, session_id)
    if plan is None:
        return []
    return [(d, plan.drums[d.id]) for d in kit(studio, session_id) if d.id in plan.drums]


def _offers(
    studio: Studio, session_id: int, planned: Planned, others: Sequence[Planned]
) -> dict[str, tuple[Offer, ...]]:
    """Return the ways to set each drum of a song up: as planned, and nearer to other songs'."""
    result = measured_record(studio, session_id)
    brief = brief_of(one_session(studio, session_id)).brief()
    shelf = the_shelf(studio)
    offers: dict[str, tuple[Offer, ...]] = {}
    for drum, file in planned:
        key = str(drum.drum_id)
        offers[key] = (Offer(_setup(file), 0.0),)
        theirs = [f for row in others for d, f in row if d.drum_id == drum.drum_id]
        if not theirs:
            continue
        try:
            task = task_of(drum, result)
        except EmblarError:
            continue
        problem = Problem((task.target,), replace(shelf, drums=(drum.owned,)), brief)
        offers[key] += tuple(_nearer(problem.search(task.target.voice, 0), file, theirs))
    return offers


def _nearer(search: DrumSearch, file: DrumPlanFile, theirs: Sequence[DrumPlanFile]) -> list[Offer]:
    """Return what other songs have on a drum, with what each costs this song's sound.

    As it is for the other song; its heads and muffling at this song's note; its muffling alone.
    """
    wish = file.card["pitch"].value
    best = search.exactly([_recipe(file)], wish)[0]
    if best is None:
        return []
    request: list[tuple[Setup, float]] = []
    for other in theirs:
        request.append((_recipe(other), other.card["pitch"].value))
        request.append((_recipe(other), wish))
        request.append((replace(_recipe(file), dampers=tuple(sorted(other.dampers))), wish))
    offers: dict[Setup, float] = {}
    for wanted, pitch in request:
        row = search.exactly([wanted], pitch)[0]
        if row is not None:
            r = row.setup
            setup = replace(r, dampers=tuple(sorted(r.dampers)), semitones=0.0)
            offers.setdefault(setup, max(row.distance - best.distance, 0.0))
    return [Offer(setup, steps) for setup, steps in offers.items()]


def _recipe(file: DrumPlanFile) -> Setup:
    """Return a plan's setup before its pitches are worked out for another one."""
    return replace(file.setup(), batter_hz=0.0, reso_hz=None)


def _setup(file: DrumPlanFile) -> Setup:
    """Return a plan's setup as it is compared with another song's."""
    return replace(file.setup(), dampers=tuple(sorted(file.dampers)), semitones=0.0)


def turns_of(
    catalogue: Catalogue, owned: OwnedDrum, setup: Setup, done: Change
) -> dict[Side, float]:
    """Return by how many turns of the key each head is moved to a setup, every rod alike."""
    drum = model(catalogue, wearing(owned, setup.reso, setup.port_in), batter=setup.batter)
    result: dict[Side, float] = {}
    for side, by in done.tuned.items():
        goal_hz = setup.batter_hz if side == "batter" else setup.reso_hz
        if goal_hz is not None:
            result[side] = (1.0 - 2.0 ** (-by / 600.0)) / goal_per_turn(drum, side, goal_hz)
    return result
