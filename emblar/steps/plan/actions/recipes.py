"""Recipes of a kit to take along, and to bring to another kit."""

from dataclasses import dataclass

from emblar.core.errors import InputError
from emblar.formats.plan import DrumPlanFile
from emblar.formats.recipes import DrumRecipeFile, RecipesFile, recipes_of
from emblar.platform import sessions as session_store
from emblar.platform.studio import Studio, check_session, in_session, one_at_a_time
from emblar.steps.bench import queries as bench_store
from emblar.steps.brief.actions import wish_of
from emblar.steps.kit.queries import slots as store
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.recordings import analysed_record
from emblar.steps.plan.actions.planning import latest_plan, plan_kit

MOST_SESSIONS = 60


def recipes(studio: Studio, session_id: int) -> RecipesFile:
    """Return what the newest plan puts on each drum.

    Raises
    ------
    InputError
        Nothing is planned.
    """
    with in_session(studio, session_id) as db:
        info = session_store.get(db, studio.studio_id, session_id)
        drums = store.listing(db, session_id)
    plan = latest_plan(studio, session_id)
    rows = [_recipe(d, plan.drums[d.id]) for d in drums if plan and d.id in plan.drums]
    if not rows:
        raise InputError("Nothing is planned yet, so there are no recipes. Plan the kit first.")
    return RecipesFile(session=info.name, drums=rows)


def _recipe(drum: KitDrum, plan: DrumPlanFile) -> DrumRecipeFile:
    return DrumRecipeFile(
        name=drum.owned.name,
        kind=plan.kind,
        diameter_in=drum.owned.diameter_in,
        depth_in=drum.owned.depth_in,
        voice=plan.voice,
        drum_pitch_hz=plan.card["pitch"].value,
        recipe=plan.setup(),
    )


@dataclass(frozen=True, slots=True)
class ImportedRecipes:
    """What came of recipes: which drum got which, and which found none."""

    given: tuple[tuple[str, str], ...]
    left: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Worked:
    """The recipes of a session's drums that were brought to their plan at the bench."""

    style: str
    session_id: int
    recipes: RecipesFile


def worked(studio: Studio) -> list[Worked]:
    """Return the recipes that were tuned to, by the session's style, the newest session first.

    Sessions of which no style is said are left out.
    """
    with studio.work() as db:
        sessions = [s for s in session_store.listing(db, studio.studio_id) if s.brief.get("style")]
        tuned = bench_store.tuned(db, [s.id for s in sessions])
        kits = store.listings(db, list(tuned))
    result = []
    for session in [s for s in sessions if s.id in tuned][:MOST_SESSIONS]:
        plan = latest_plan(studio, session.id)
        rows = [
            _recipe(drum, plan.drums[drum.id])
            for drum in kits.get(session.id, ())
            if plan and drum.id in plan.drums and drum.drum_id in tuned[session.id]
        ]
        if rows:
            style = str(session.brief["style"]).strip()
            result.append(Worked(style, session.id, RecipesFile(session=session.name, drums=rows)))
    return result


def bring_from(studio: Studio, session_id: int, other_id: int) -> ImportedRecipes:
    """Ask each drum of the kit for a recipe that worked in another session, and plan the kit.

    Raises
    ------
    InputError
        Nothing worked there, or it fits no drum of this kit.
    """
    check_session(studio, session_id)
    file = next((row.recipes for row in worked(studio) if row.session_id == other_id), None)
    if file is None:
        raise InputError("Nothing of that session was tuned to its plan. Choose another.")
    with one_at_a_time(studio, session_id) as unit:
        return _bring(unit, session_id, file)


def bring_recipes(studio: Studio, session_id: int, data: bytes) -> ImportedRecipes:
    """Ask each drum of the kit for the recipe of the drum most like it, and plan the kit.

    The drum of the same name and kind comes first, then the one nearest in diameter. Lug pitches
    are worked out anew for the drum that is here.

    Raises
    ------
    InputError
        The file is no recipes, or fits no drum of this kit.
    """
    check_session(studio, session_id)
    file = recipes_of(data, studio.catalogue())
    with one_at_a_time(studio, session_id) as unit:
        return _bring(unit, session_id, file)


def _bring(studio: Studio, session_id: int, file: RecipesFile) -> ImportedRecipes:
    with in_session(studio, session_id) as db:
        drums = store.listing(db, session_id)
    pairs, left = matched(file.drums, drums)
    if not pairs:
        kinds = ", ".join(sorted({d.kind for d in file.drums})) or "nothing"
        raise InputError(
            f"These recipes are for {kinds}, and this kit has no such drum. Nothing was changed. "
            "Add the drums in Kit first."
        )
    result = analysed_record(studio, session_id)
    with in_session(studio, session_id) as db:
        for row, drum in pairs:
            wish = wish_of(row.recipe, drum.owned, port=False)
            if drum.owned.reso is None:
                wish.pop("reso", None)
            store.set_wish(db, drum.id, wish | {"pitch_hz": round(row.drum_pitch_hz, 1)})
            if result is not None and result.voice(row.voice) is not None:
                store.assign(db, drum.id, row.voice)
    plan_kit(studio, session_id, says="Recipes imported")
    return ImportedRecipes(
        tuple((row.name, drum.owned.name) for row, drum in pairs), tuple(r.name for r in left)
    )


def matched(
    rows: list[DrumRecipeFile], drums: list[KitDrum]
) -> tuple[list[tuple[DrumRecipeFile, KitDrum]], list[DrumRecipeFile]]:
    """Pair recipes with drums; the second are the recipes that found none."""
    free = list(drums)
    pairs: list[tuple[DrumRecipeFile, KitDrum]] = []

    def take(row: DrumRecipeFile, fits: list[KitDrum]) -> bool:
        if not fits:
            return False
        drum = min(fits, key=lambda d: abs(d.owned.diameter_in - row.diameter_in))
        free.remove(drum)
        pairs.append((row, drum))
        return True

    def same_name(row: DrumRecipeFile) -> list[KitDrum]:
        return [d for d in free if d.owned.kind == row.kind and d.owned.name == row.name]

    others = [row for row in rows if not take(row, same_name(row))]
    left = [row for row in others if not take(row, [d for d in free if d.owned.kind == row.kind])]
    return pairs, left
