"""Ways: the alternatives of the whole kit in figures, two of them side by side."""

from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.catalogue import construction, damper, strikers, wire_settings
from emblar.core.naming import voice_title
from emblar.core.planning.assign import Alternative
from emblar.core.planning.weighing import Weighed
from emblar.frame.words import number
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
    left: bool
    right: bool


@dataclass(frozen=True, slots=True)
class Side:
    """What one way does with a voice, in lines; ``differs`` from the other way's line."""

    lines: tuple[tuple[str, bool], ...]


@dataclass(frozen=True, slots=True)
class VoicePair:
    """One voice in both ways."""

    title: str
    left: Side
    right: Side
    drawing: Markup | None


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
        rows=tuple(_row(a, left=a is one, right=a is other) for a in ways.alternatives),
        left=one.name,
        right=other.name,
        voices=tuple(
            _pair(voice, one.chosen[voice], other.chosen.get(voice), ways.drums)
            for voice in one.chosen
        ),
        unmet=ways.unmet,
    )


def _row(way: Alternative, *, left: bool, right: bool) -> WayRow:
    chosen = way.chosen.values()
    return WayRow(
        name=way.name,
        says=way.says,
        apart=f"{way.distance:.1f}",
        minutes=f"{way.minutes:.0f} min",
        buys=_count(sum(len(w.bought) for w in chosen)),
        cuts=_count(sum(w.cut for w in chosen)),
        left=left,
        right=right,
    )


def _count(number_of: int) -> str:
    return str(number_of) if number_of else "none"


def _pair(
    voice: str, left: Weighed, right: Weighed | None, drums: tuple[KitDrum, ...]
) -> VoicePair:
    one = _lines(left, drums)
    other = _lines(right, drums) if right is not None else ["no drum"]
    return VoicePair(
        voice_title(voice),
        Side(tuple((text, text not in other) for text in one)),
        Side(tuple((text, text not in one) for text in other)),
        two_ways(voice, left.apart, right.apart) if right is not None else None,
    )


def _lines(row: Weighed, drums: tuple[KitDrum, ...]) -> list[str]:
    recipe = row.setup
    heads = construction(recipe.batter).name
    lugs = f"batter {number(recipe.batter_hz, 'Hz')}"
    if recipe.reso and recipe.reso_hz is not None:
        heads += f" over {construction(recipe.reso).name}"
        lugs += f", reso {number(recipe.reso_hz, 'Hz')}"
    muffled = ", ".join(damper(d).name for d in recipe.dampers)
    struck = strikers()[recipe.striker].name
    if row.voice == "snare":
        struck += f", {wire_settings()[recipe.wires].name}"
    bought = f", buys {len(row.bought)}" if row.bought else ""
    hole = ", a new hole" if row.cut else ""
    return [
        drums[row.drum].owned.name,
        heads,
        f"lug pitches {lugs}",
        muffled or "nothing on it",
        struck,
        f"{row.minutes:.0f} min{bought}{hole}",
    ]
