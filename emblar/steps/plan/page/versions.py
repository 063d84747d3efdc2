"""Versions of the plan: which there are, and two of them next to each other."""

from collections.abc import Sequence
from dataclasses import dataclass

from emblar.core.catalogue import Catalogue
from emblar.formats.plan import DrumPlanFile
from emblar.frame.words import number, semitones
from emblar.steps.plan.actions.planning import KitPlan
from emblar.steps.plan.page.ways import AlternativeSide
from emblar.steps.plan.queries import PlanInfo
from emblar.steps.workspace.page import Frame

CHANGED = {"brief": "the brief", "record": "the record", "kit": "the kit", "shelf": "the shelf"}


@dataclass(frozen=True, slots=True)
class VersionLine:
    """A version as listed."""

    version: int
    says: str
    made: str
    href: str
    shown: bool


@dataclass(frozen=True, slots=True)
class DrumPair:
    """One drum in two versions."""

    title: str
    left: AlternativeSide
    right: AlternativeSide
    same: bool


@dataclass(frozen=True, slots=True)
class VersionsPage:
    """Two versions of the plan next to each other."""

    frame: Frame
    left: int
    right: int
    back: str
    pairs: tuple[DrumPair, ...]


def stale_line(changed: Sequence[str]) -> str:
    """Return what changed since the plan in words; empty if nothing did."""
    if not changed:
        return ""
    names = [CHANGED[name] for name in changed]
    known = names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
    return f"{known[0].upper()}{known[1:]} changed since this plan."


def version_rows(around: Frame, listed: Sequence[PlanInfo]) -> tuple[VersionLine, ...]:
    """Return the versions, the newest first."""
    base = f"/sessions/{around.session.id}/plan/versions"
    return tuple(
        VersionLine(
            row.version,
            row.says or "planned",
            row.created_at.strftime("%-d %B, %H:%M"),
            f"{base}/{row.version}?sel={around.selection}",
            index == 0,
        )
        for index, row in enumerate(listed)
    )


def versions_page(around: Frame, left: KitPlan, right: KitPlan) -> VersionsPage:
    """Return two versions side by side, drum by drum."""
    names = {d.id: d.owned.name for d in around.drums}
    keys = [i for i in names if i in left.drums or i in right.drums]
    keys += [i for i in (*left.drums, *right.drums) if i not in names and i not in keys]
    pairs = []
    for i in keys:
        one, other = (_lines(around.catalogue, p.drums.get(i)) for p in (left, right))
        file = left.drums.get(i) or right.drums[i]
        pairs.append(
            DrumPair(
                names.get(i, file.name),
                AlternativeSide(tuple((text, text not in other) for text in one)),
                AlternativeSide(tuple((text, text not in one) for text in other)),
                one == other,
            )
        )
    return VersionsPage(around, left.version, right.version, around.href("plan"), tuple(pairs))


def _lines(catalogue: Catalogue, file: DrumPlanFile | None) -> list[str]:
    if file is None:
        return ["not planned"]
    lugs = file.prediction.lug_hz
    heads, pitches = catalogue.construction(file.batter).name, f"batter {number(lugs.batter, 'Hz')}"
    if file.reso and lugs.reso is not None:
        heads += f" over {catalogue.construction(file.reso).name}"
        pitches += f", {'front' if file.kind == 'kick' else 'reso'} {number(lugs.reso, 'Hz')}"
    struck = catalogue.strikers[file.striker].name
    if file.kind == "snare":
        struck += f", {catalogue.wire_settings[file.wires].name}"
    bought = f", buys {len(file.bought)}" if file.bought else ""
    return [
        f"plays {file.voice.replace('-', ' ')}, {number(file.card['pitch'].value, 'Hz')}",
        heads,
        f"lug pitches {pitches}",
        semitones(file.semitones),
        ", ".join(catalogue.damper(d).name for d in file.dampers) or "nothing on it",
        struck,
        f"{file.minutes:.0f} min{bought}{', a new hole' if file.cut else ''}",
    ]
