"""``emblar plan``: a brief in, a plan for the whole kit out, without the database."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from emblar.core.errors import InputError
from emblar.frame.commands import print_json, read_json
from emblar.steps.listen.commands.as_text import record_of_file

if TYPE_CHECKING:
    from emblar.formats.brief import BriefFile
    from emblar.formats.kitplan import KitPlanFile


def as_text(plan: "KitPlanFile") -> str:
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
            lines.append(f"{voice}: {one.drum}, lugs {lugs}. {one.sentence}")
            lines += [f"  Caution: {text}" for text in one.cautions]
        cautions = {text for one in plan.alternatives[0].voices.values() for text in one.cautions}
        warnings = [w.text for w in plan.alternatives[0].warnings if w.text not in cautions]
        lines += [f"Caution: {text}" for text in warnings]
    return "\n".join([*lines, *(u.text for u in plan.unmet)]) + "\n"


def sing_command(
    recording: Annotated[Path, typer.Argument(help="Two mouth sounds: as it is, as it should be")],
) -> None:
    """Say what a sung wish is: how the second sound differs from the first, in audible steps."""
    from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
    from emblar.core.planning.sung import read_sung
    from emblar.formats.sung import sung_file
    from emblar.frame.commands import read_bytes
    from emblar.platform.sound.clips import clip_samples

    data = read_bytes(recording)
    wish = read_sung(clip_samples(data), ANALYSIS_RATE_HZ)
    print_json(sung_file(wish))


def rescue_command(
    brief: Annotated[Path, typer.Argument(help="A brief as emblar.brief/1 JSON")],
    budget: Annotated[float, typer.Option(help="What may be spent, in your coin")],
    record: Annotated[
        Path | None,
        typer.Option("--record", help="An analysis (emblar.analysis/1) whose drums are planned"),
    ] = None,
    plain_head: Annotated[
        float | None, typer.Option("--head", help="What a plain 14 in head costs there")
    ] = None,
) -> None:
    """Say which few changes to a kit bring it nearest the record for a budget."""
    from emblar.core.catalogue import SHIPPED
    from emblar.core.planning.assign import plan_kit
    from emblar.core.planning.rescue import rescue
    from emblar.formats.rescue import rescue_file

    problem = _read_brief(brief, record).problem(SHIPPED)
    plays, shelf = plan_kit(problem).best.chosen, problem.shelf
    pairs = [(shelf.drums[plays[t.voice].drum], t) for t in problem.targets if t.voice in plays]
    known = rescue(pairs, shelf, problem.brief, budget=budget, plain_head=plain_head)
    print_json(rescue_file(known))


def _read_brief(brief: Path, record: Path | None) -> "BriefFile":
    """Return a brief with the record that goes with it."""
    from emblar.formats.brief import BriefFile

    request = read_json(brief, BriefFile)
    if record is not None:
        result = record_of_file(record)
        # What the brief says of a drum itself goes before what was measured.
        request = request.model_copy(update={"record": {**result, **request.record}})
    if not request.record:
        raise InputError(f"{brief} has no record. Write one into it, or give --record.")
    return request


def plan_command(
    brief: Annotated[Path, typer.Argument(help="A brief as emblar.brief/1 JSON")],
    record: Annotated[
        Path | None,
        typer.Option("--record", help="An analysis (emblar.analysis/1) whose drums are planned"),
    ] = None,
    json_out: Annotated[
        Path | None, typer.Option("--json", help="Where the whole plan goes, emblar.kitplan/1")
    ] = None,
) -> None:
    """Plan a kit: which drum, heads, pitches and dampers for each voice, and why."""
    from emblar.core.catalogue import SHIPPED
    from emblar.core.planning.assign import plan_kit
    from emblar.formats.kitplan import kit_plan_file

    problem = _read_brief(brief, record).problem(SHIPPED)
    plan = kit_plan_file(plan_kit(problem), problem)
    if json_out is not None:
        try:
            json_out.write_text(plan.model_dump_json(by_alias=True, indent=2) + "\n", "utf-8")
        except OSError as error:
            raise InputError(f"{json_out} cannot be written: {error.strerror}.") from error
    sys.stdout.write(as_text(plan))
