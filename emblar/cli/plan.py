"""``emblar plan``: a brief in, a plan for the whole kit out, without the database."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from emblar.core.errors import InputError

if TYPE_CHECKING:
    from emblar.formats.kitplan import KitPlanFile


def said(plan: "KitPlanFile") -> str:
    """Return a plan in a few lines for the shell."""
    lines = [
        f"{way.name:12s} score {way.score:6.1f}  {way.minutes:4.0f} min  buys {way.buys}  "
        f"cuts {way.cuts}"
        for way in plan.alternatives
    ]
    if plan.alternatives:
        for voice, one in plan.alternatives[0].voices.items():
            r = one.recipe
            lugs = f"{r.batter_hz:.0f}" + (f" / {r.reso_hz:.0f}" if r.reso_hz else "") + " Hz"
            on_it = ", ".join(r.dampers) or "nothing on it"
            lines.append(f"{voice}: {one.drum}, {r.batter} over {r.reso}, lugs {lugs}, {on_it}")
    return "\n".join([*lines, *(u.text for u in plan.unmet)]) + "\n"


def plan_command(
    brief: Annotated[Path, typer.Argument(help="A brief as emblar.brief/1 JSON")],
    json_out: Annotated[
        Path | None, typer.Option("--json", help="Where the whole plan goes, emblar.kitplan/1")
    ] = None,
) -> None:
    """Plan a kit: which drum, heads, pitches and dampers for each voice, and why."""
    from emblar.cli.files import read_json
    from emblar.formats.brief import BriefFile
    from emblar.formats.kitplan import plan_file

    plan = plan_file(read_json(brief, BriefFile))
    if json_out is not None:
        try:
            json_out.write_text(plan.model_dump_json(by_alias=True, indent=2) + "\n", "utf-8")
        except OSError as error:
            raise InputError(f"{json_out} cannot be written: {error.strerror}.") from error
    sys.stdout.write(said(plan))
