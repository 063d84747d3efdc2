"""What a brief promises: kept by the search, or broken out loud with the reason.

Conventions
-----------
A player's schools, the engineer's hole, "never cut", "buy nothing", the number of heads that may be
bought and the style are promises. The search keeps them as long as any head bears the pitch so;
``broken`` says of a finished recipe which it does not keep, whoever made it.
"""

from collections.abc import Mapping

from emblar.core.acoustics.drum import Kind
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.naming import voice_title
from emblar.core.planning.brief import Brief
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.schools import FAVOURED_ON, MUFFLING, PORT, side_taken
from emblar.core.planning.styles import NO_FRONT, shunned
from emblar.core.planning.weighing import Weighed


def schools_broken(schools: Mapping[str, str], kind: Kind, setup: Setup) -> list[str]:
    """Return which of a player's schools a recipe breaks, by what each is about.

    Parameters
    ----------
    schools
        Which side a player takes, by what it is about.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    recipe
        The recipe.
    """
    broken = []
    for about, name in schools.items():
        if kind not in FAVOURED_ON[about]:
            continue
        if setup.reso is None and about != MUFFLING:
            continue
        kept = side_taken(
            about,
            name,
            setup.semitones,
            ported=setup.port_in is not None,
            dressed=bool(setup.dampers),
        )
        if not bool(kept):
            broken.append(about)
    return broken


def broken(catalogue: Catalogue, row: Weighed, owned: OwnedDrum, brief: Brief) -> list[str]:
    """Return, in words, which promises of a brief a recipe does not keep, and why.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    row
        The recipe, weighed.
    owned
        The drum as it stands in the kit.
    brief
        What was asked for.
    """
    setup, title = row.setup, voice_title(row.voice)
    text: list[str] = []
    for about in schools_broken(brief.schools, owned.kind, setup):
        if about == PORT:
            continue
        text.append(
            f"{title}: your school is “{brief.schools[about]}” ({about}); this plan breaks it. "
            "It was chosen by hand, or no head bears this pitch that way."
        )
    return (
        text
        + _front(row, owned, brief)
        + _bought(catalogue, row, title, brief)
        + _style(catalogue, row, title, brief)
    )


def _front(row: Weighed, owned: OwnedDrum, brief: Brief) -> list[str]:
    setup, title = row.setup, voice_title(row.voice)
    if owned.kind != "kick" or setup.reso is None:
        return []
    wanted = brief.schools.get(PORT)
    why = "the brief forbids cutting" if brief.never_cut else "it was asked for by hand"
    get = "Borrow" if brief.most_bought == 0 else "Borrow or buy"
    if setup.port_in is None and brief.engineer_wants_hole:
        return [
            f"{title}: the engineer wants a ported front head, but this plan has none, as {why}. "
            f"{get} one."
        ]
    if setup.port_in is None and wanted == "ported front":
        return [
            f"{title}: you prefer a ported front head, but this plan has none, as {why}. {get} one."
        ]
    if setup.port_in is not None and wanted == "closed front":
        return [f"{title}: you prefer a closed front head, but this one has a port. Fit another."]
    return []


def _bought(catalogue: Catalogue, row: Weighed, title: str, brief: Brief) -> list[str]:
    most = brief.most_bought
    if len(row.bought) <= most:
        return []
    heads = ", ".join(f"“{catalogue.construction(h).name}”" for h in row.bought)
    allowed = "buy nothing" if most == 0 else f"buy {most} at most"
    return [
        f"{title}: the brief says {allowed}, but {heads} was chosen by hand and must be bought."
    ]


def _style(catalogue: Catalogue, row: Weighed, title: str, brief: Brief) -> list[str]:
    heads, dampers, by = shunned(brief.style)
    setup = row.setup
    result = [catalogue.construction(h).name for h in (setup.batter, setup.reso) if h in heads]
    result += [catalogue.damper(d).name for d in setup.dampers if d in dampers]
    result += [catalogue.strikers[setup.striker].name] if setup.striker in by else []
    if setup.reso is None and NO_FRONT in heads:
        result.append("no front head")
    if not result:
        return []
    return [
        f"{title}: {', '.join(result)} is not what {brief.style} is played on. It stays because it "
        "is on the drum, was chosen by hand, or the record asks for it clearly."
    ]
