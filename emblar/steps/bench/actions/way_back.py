"""The way from one setup of a drum to another, and that it was gone."""

from emblar.core.acoustics.drum import Side
from emblar.core.catalogue import Catalogue
from emblar.core.errors import NotFoundError
from emblar.core.matching.way_back import Node, WayBack, way_between
from emblar.formats.bench import BackTo, BenchFile
from emblar.formats.plan import DrumPlanFile
from emblar.platform.studio import Studio, in_session
from emblar.steps.bench.actions.state import Chain, stood_at
from emblar.steps.bench.actions.tuning import change_setup, change_work, planned_chain
from emblar.steps.kit.queries.slots import KitDrum

GONE = "That setup is not here any more."


def way_to(
    studio: Studio, session_id: int, slot_id: int, setup_id: int, from_id: int | None = None
) -> WayBack:
    """Return the way from one of a drum's setups to another.

    Parameters
    ----------
    setup_id, from_id
        Where to, and from where: from how the drum is now if left out.

    Raises
    ------
    NotFoundError
        One of them is no setup of this drum.
    """
    drum, plan, _, chain = planned_chain(studio, session_id, slot_id)
    return _way(studio.catalogue(), drum, plan, chain, setup_id, from_id)


def _way(
    catalogue: Catalogue,
    drum: KitDrum,
    plan: DrumPlanFile,
    chain: Chain,
    setup_id: int,
    from_id: int | None = None,
) -> WayBack:
    ids = [info.id for info, _, _ in chain]
    current = ids[-1] if from_id is None else from_id
    if setup_id not in ids or current not in ids:
        raise NotFoundError(GONE)
    nodes = [
        _node(catalogue, drum, plan, chain[: i + 1], stood=chain[i][0].id == setup_id)
        for i in range(len(chain))
    ]
    return way_between(nodes, current, setup_id)


def _node(
    catalogue: Catalogue, drum: KitDrum, plan: DrumPlanFile, chain: Chain, *, stood: bool
) -> Node:
    info, file, _ = chain[-1]
    heads = {"batter": file.batter.construction}
    if file.reso is not None:
        heads["reso"] = file.reso.construction
    return Node(
        info.id,
        heads,
        {str(side): turns for side, turns in file.turned.items()},
        frozenset(file.slack),
        frozenset(file.dampers),
        file.striker,
        file.wires,
        {str(side): hz for side, hz in stood_at(catalogue, drum, plan, chain).items()}
        if stood
        else {},
    )


def go_back(studio: Studio, session_id: int, slot_id: int, setup_id: int) -> WayBack:
    """Keep that the way back to a setup was gone; return the way that was.

    Turns, dampers, wires and striker are as then. What the heads stood at is what Bench goes for
    from now on, until the kit is planned anew or the plan's pitches are asked for again.
    """
    sides: tuple[Side, ...] = ("reso", "batter")
    # Either all of it is kept or nothing.
    with studio.together() as unit:
        drum, plan, version, chain = planned_chain(unit, session_id, slot_id)
        way = _way(studio.catalogue(), drum, plan, chain, setup_id)
        wanted = next(file for info, file, _ in chain if info.id == setup_id)
        with in_session(unit, session_id) as db:
            for side in sides:
                turns = [0.0] * drum.owned.rods
                for row in way.turns.get(side, ()):
                    turns[row.rod] = row.up - row.down
                if side in way.turns:
                    change_setup(db, session_id, drum, turned={side: turns})
            change_setup(
                db,
                session_id,
                drum,
                dampers=wanted.dampers,
                striker=wanted.striker,
                wires=wanted.wires,
                force=wanted.force,
                back_to=setup_id,
            )
        lugs = {side: way.pitches[side] for side in sides if side in way.pitches}

        def to_tap(file: BenchFile) -> None:
            even = {f"even-{side}" for side in lugs}
            done = {name: job for name, job in file.jobs.items() if name in even}
            was = file.back_to.model_copy(update={"before": None}) if file.back_to else None
            back = BackTo(setup=setup_id, plan=version, lug_hz=lugs, jobs=done, before=was)
            file.back_to = back if lugs else None
            file.jobs = {name: job for name, job in file.jobs.items() if name not in even}
            file.at = f"even-{next(iter(lugs))}" if lugs else ""

        change_work(unit, session_id, slot_id, to_tap)
    return way


def to_the_plan(studio: Studio, session_id: int, slot_id: int) -> None:
    """Go for the plan's pitches again instead of an earlier setup's."""

    def planned(file: BenchFile) -> None:
        file.back_to = None

    change_work(studio, session_id, slot_id, planned)
