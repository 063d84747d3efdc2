"""``emblar compare`` and ``emblar moves``: a take against the record, without the database."""

from pathlib import Path
from typing import Annotated

import typer

from emblar.frame.commands import print_json, read_json


def compare_command(
    record: Annotated[Path, typer.Argument(help="The record: a sound, or emblar.analysis/1 JSON")],
    take: Annotated[Path, typer.Argument(help="The take: strokes of one drum, or its analysis")],
    voice: Annotated[str, typer.Option(help="Which drum: kick, snare, tom-1, …")] = "snare",
) -> None:
    """Compare a take with the record, quantity by quantity, in audible steps."""
    from emblar.core.matching.differences import compare
    from emblar.formats.comparison import comparison_file
    from emblar.steps.listen.commands.as_text import target_of_file

    result = compare(target_of_file(record, voice), target_of_file(take, voice, alone=True))
    print_json(comparison_file(voice, result))


def moves_command(
    setup: Annotated[Path, typer.Argument(help="Drum, setup and record as emblar.moves/1 JSON")],
    take: Annotated[Path, typer.Argument(help="The take's analysis as emblar.analysis/1 JSON")],
) -> None:
    """Rank the single changes that bring a take nearer to the record."""
    from emblar.core.catalogue import SHIPPED
    from emblar.core.matching.differences import compare
    from emblar.core.matching.learned import learned_shares
    from emblar.core.matching.moves import next_moves
    from emblar.formats.comparison import MovesAsked, moves_file
    from emblar.steps.listen.commands.as_text import target_of_file

    request = read_json(setup, MovesAsked)
    result = compare(request.record(), target_of_file(take, request.voice, alone=True))
    learned = learned_shares(row.trial() for row in request.tried)
    moves = next_moves(SHIPPED, request.drum.owned(), request.setup(), result, learned=learned)
    print_json(moves_file(moves, result))


def cures_command(
    setup: Annotated[Path, typer.Argument(help="The drum and its setup as emblar.moves/1 JSON")],
) -> None:
    """Say what to do when a snare or tom chokes, the cheapest first, and tricks."""
    from emblar.core.catalogue import SHIPPED
    from emblar.core.tuning.cures import cures
    from emblar.formats.comparison import MovesAsked, cures_file

    request = read_json(setup, MovesAsked)
    result = cures(SHIPPED, request.drum.owned(), request.setup())
    print_json(cures_file(result))
