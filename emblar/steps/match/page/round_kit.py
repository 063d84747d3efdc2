"""Round the kit: how every drum compares with the others, in words and on one ruler."""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.matching.round import level_step_db
from emblar.core.naming import lower_first
from emblar.frame.words import number
from emblar.steps.match.actions.round_kit import TWO_DRUMS, RoundDrum
from emblar.steps.match.drawing.round_levels import LevelRow, round_levels
from emblar.steps.workspace.page import Frame

STRIKES = (2, 3, 5)


@dataclass(frozen=True, slots=True)
class RoundPage:
    """Everything the page shows."""

    title: str
    lead: str
    how: str
    order: tuple[str, ...]
    rulers: Markup | None
    says: tuple[str, ...]
    record: tuple[str, ...]
    strikes: tuple[tuple[int, str, bool], ...]
    base: str
    match: str
    ready: bool


def round_page(drums: Sequence[RoundDrum], around: Frame, strikes: int) -> RoundPage:
    """Return the page."""
    base = f"/sessions/{around.session.id}/match/round"
    names = tuple(row.drum.owned.name for row in drums)
    played = any(row.standing for row in drums)
    uneven = [
        row for row in drums if row.standing and (row.standing.is_audible or row.standing.feel_told)
    ]
    title = "Round the kit"
    toms = sum(1 for row in drums if row.drum.owned.kind == "tom")
    if played and toms > 1:
        title = "Uneven round the kit" if uneven else "Even round the kit"
    return RoundPage(
        title,
        _lead(drums, played, toms),
        f"Each {strikes} times, as hard as one another, in this order:",
        names,
        round_levels([_row(row) for row in drums]) if played else None,
        tuple(text for row in uneven for text in _says(row)),
        tuple(_beside_record(drums)),
        tuple((n, f"{base}?sel={around.selection}&strikes={n}", n == strikes) for n in STRIKES),
        f"{base}/{strikes}",
        f"/sessions/{around.session.id}/match?sel={around.selection}",
        len(drums) > 1,
    )


def _lead(drums: Sequence[RoundDrum], played: bool, toms: int) -> str:
    if len(drums) < 2:
        return TWO_DRUMS
    if not played:
        return "One microphone that hears all of it, further from the drums than they are apart."
    if toms < 2:
        return "With fewer than two toms there is nothing to even out."
    return f"{toms} toms against one another, kick and snare against the kit."


def _row(row: RoundDrum) -> LevelRow:
    current, step = row.standing, level_step_db()
    feel = ""
    if row.tension_n_m is not None:
        feel = f"{row.tension_n_m / 1000.0:.1f} kN/m"
        if current and current.feel_told and current.feel_share is not None:
            feel += ", firmer" if current.feel_share > 0 else ", softer"
    return LevelRow(
        row.drum.owned.name,
        current.level_db / step if current else None,
        current.sd_db / step if current else 0.0,
        row.before.level_db / step if row.before else None,
        f"{number(current.level_db, 'dB')} ± {current.sd_db:.1f}" if current else "not played",
        feel,
        bool(current and (current.is_audible or current.feel_told)),
    )


def _says(row: RoundDrum) -> list[str]:
    current = row.standing
    if current is None:
        return []
    known = []
    name = row.drum.owned.name
    if current.is_audible and current.level_db < 0.0:
        known.append(
            f"{name} is {abs(current.level_db):.1f} dB quieter than its neighbours. If something "
            "lies on it, less of that first: every damper costs loudness."
        )
    elif current.is_audible:
        known.append(
            f"{name} is {current.level_db:.1f} dB louder than its neighbours. Start with the "
            "muffling that is already on them."
        )
    if current.feel_told and current.feel_share is not None:
        firmer = current.feel_share > 0
        known.append(
            f"Under the stick {lower_first(name)} is {'firmer' if firmer else 'softer'} by "
            f"{abs(current.feel_share):.0%}. A {'slacker' if firmer else 'tighter'} batter and a "
            f"{'tighter' if firmer else 'slacker'} reso give the same note and an even feel."
        )
    return known


def _beside_record(drums: Sequence[RoundDrum]) -> list[str]:
    rows = []
    for row in drums:
        over, current = row.over_record_db, row.standing
        if (
            over is not None
            and current is not None
            and abs(over) > 2.0 * max(level_step_db(), current.sd_db)
        ):
            way = "further out" if over > 0 else "further back"
            rows.append(
                f"{row.drum.owned.name} stands {abs(over):.0f} dB {way} in your kit than on the "
                "record."
            )
    if rows:
        rows.append("A record's balance is the desk's, too: set it there unless the drum is wrong.")
    return rows
