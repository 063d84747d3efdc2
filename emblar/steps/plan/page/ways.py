"""Ways: the alternatives of the whole kit in figures, two of them side by side."""

from dataclasses import dataclass
from urllib.parse import urlencode

from markupsafe import Markup

from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import Catalogue
from emblar.core.naming import voice_title
from emblar.core.planning.assign import KitAlternative
from emblar.core.planning.weighing import Weighed
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan.actions.ways import Ways
from emblar.steps.plan.drawing.two_ways import two_ways
from emblar.steps.workspace.page import Frame


@dataclass(frozen=True, slots=True)
class WayRow:
    """One way in figures."""

    name: str
    says: str
    apart: str
    minutes: str
    buys: str
    cuts: str
    also: tuple[str, ...]
    """Other names of the same setups."""
    mark: str
    """``▼`` on the one that is compared, ``△`` on the one it is compared with."""
    href: str
    """Compares it with what was chosen last."""


@dataclass(frozen=True, slots=True)
class AlternativeSide:
    """What one alternative does with a voice, in lines; ``differs`` from the other's line."""

    lines: tuple[tuple[str, bool], ...]


@dataclass(frozen=True, slots=True)
class VoicePair:
    """One voice in both ways."""

    title: str
    left: AlternativeSide
    right: AlternativeSide
    drawing: Markup | None
    """None where both are the same."""


@dataclass(frozen=True, slots=True)
class WaysPage:
    """Everything the Ways screen shows."""

    frame: Frame
    action: str
    back: str
    rows: tuple[WayRow, ...]
    left: str
    right: str
    voices: tuple[VoicePair, ...]
    unmet: tuple[str, ...]


def ways_page(around: Frame, ways: Ways, left: str, right: str) -> WaysPage:
    """Return the Ways screen; a way that is not there is the best."""
    one, other = ways.named(left), ways.named(right)
    action = f"/sessions/{around.session.id}/plan/ways"
    return WaysPage(
        frame=around,
        action=action,
        back=around.href("plan"),
        rows=_rows(around, ways, one, other),
        left=one.name,
        right=other.name,
        voices=tuple(
            _pair(around.catalogue, voice, one.chosen[voice], other.chosen.get(voice), ways.drums)
            for voice in one.chosen
        ),
        unmet=ways.unmet,
    )


def _rows(
    around: Frame, ways: Ways, one: KitAlternative, other: KitAlternative
) -> tuple[WayRow, ...]:
    """Return the alternatives, those with the same setups as one."""
    groups: dict[object, list[KitAlternative]] = {}
    for way in ways.alternatives:
        setups = frozenset((voice, row.drum, row.setup) for voice, row in way.chosen.items())
        groups.setdefault(setups, []).append(way)
    action = f"/sessions/{around.session.id}/plan/ways"
    rows = []
    for same in groups.values():
        way = next((a for a in same if a is one or a is other), same[0])
        mark = "▼" if way is one else "△" if way is other else ""
        before = one if way is other else other
        query = {"left": before.name, "right": way.name, "sel": around.selection}
        also = tuple(a.name for a in same if a is not way)
        rows.append(_row(way, also, mark, f"{action}?{urlencode(query)}"))
    return tuple(rows)


def _row(way: KitAlternative, also: tuple[str, ...], mark: str, href: str) -> WayRow:
    chosen = way.chosen.values()
    return WayRow(
        name=way.name,
        says=way.says,
        apart=f"{way.distance:.1f}",
        minutes=f"{way.minutes:.0f} min",
        buys=_count(sum(len(w.bought) for w in chosen)),
        cuts=_count(sum(w.cut for w in chosen)),
        also=also,
        mark=mark,
        href=href,
    )


def _count(number_of: int) -> str:
    return str(number_of) if number_of else "none"


def _pair(
    catalogue: Catalogue,
    voice: str,
    left: Weighed,
    right: Weighed | None,
    drums: tuple[KitDrum, ...],
) -> VoicePair:
    one = _lines(catalogue, left, drums)
    other = _lines(catalogue, right, drums) if right is not None else ["no drum"]
    return VoicePair(
        voice_title(voice),
        AlternativeSide(tuple((text, text not in other) for text in one)),
        AlternativeSide(tuple((text, text not in one) for text in other)),
        two_ways(voice, left.apart, right.apart) if right is not None and one != other else None,
    )


def _lines(catalogue: Catalogue, row: Weighed, drums: tuple[KitDrum, ...]) -> list[str]:
    recipe = row.setup
    heads = catalogue.construction(recipe.batter).name
    owned = drums[row.drum].owned
    lugs = f"batter {recipe.batter_hz:.0f} Hz"
    if recipe.reso and recipe.reso_hz is not None:
        heads += f" over {catalogue.construction(recipe.reso).name}"
        lugs += f", {head_name(owned.kind, 'reso')} {recipe.reso_hz:.0f} Hz"
    muffled = ", ".join(catalogue.damper(d).name for d in recipe.dampers)
    struck = catalogue.strikers[recipe.striker].name
    if row.voice == "snare":
        struck += f", {catalogue.wire_settings[recipe.wires].name}"
    bought = f", buys {len(row.bought)}" if row.bought else ""
    hole = ", a new hole" if row.cut else ""
    return [
        owned.name,
        heads,
        lugs,
        muffled or "no muffling",
        struck,
        f"{row.minutes:.0f} min{bought}{hole}",
    ]
