"""``emblar journey``, ``pads`` and ``round``: takes of a drum, what is next to it, is it even."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from emblar.core.errors import InputError
from emblar.frame.commands import print_json

if TYPE_CHECKING:
    from emblar.formats.journey import JourneyTakeFile, PadFile
    from emblar.steps.kit.queries.slots import KitDrum
    from emblar.steps.match.actions.pads import Pad
    from emblar.steps.match.actions.takes import Take

SessionId = Annotated[int, typer.Argument(help="The session's number: see emblar sessions")]


def _drum(session: int, number: int) -> "KitDrum":
    """Return a drum of a session's kit by its number, 1 is the first."""
    from emblar.platform.studio import HERE
    from emblar.steps.kit.actions.drums import kit

    drums = kit(HERE, session)
    if not 1 <= number <= len(drums):
        raise InputError(f"The kit has {len(drums)} drums. Give 1 to {len(drums)}.")
    return drums[number - 1]


def journey_command(
    session: SessionId,
    drum: Annotated[int, typer.Argument(help="The drum's number in the kit, 1 is the first")],
    take: Annotated[int, typer.Option("--take", help="Which take: 1 is the oldest")] = 0,
    note: Annotated[
        str | None, typer.Option("--note", help="What to say of that take's setup")
    ] = None,
    picture: Annotated[
        Path | None, typer.Option("--picture", help="A picture of that take's setup")
    ] = None,
) -> None:
    """List the takes of a drum; keep a note or a picture of one."""
    from emblar.formats.journey import JourneyFile
    from emblar.frame.commands import read_bytes
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.match.actions.comparison import match
    from emblar.steps.match.actions.journey import keep_note, keep_picture

    with database_at_hand():
        slot = _drum(session, drum)
        takes = match(HERE, session, slot.id).takes
        if note is not None or picture is not None:
            if not 1 <= take <= len(takes):
                raise InputError(f"Say which take with --take: 1 to {len(takes)}.")
            setup_id = takes[take - 1].info.setup_id or 0
            if note is not None:
                keep_note(HERE, session, slot.id, setup_id, note)
            if picture is not None:
                keep_picture(HERE, session, slot.id, setup_id, read_bytes(picture))
            takes = match(HERE, session, slot.id).takes
    print_json(JourneyFile(drum=slot.owned.name, takes=[_take_file(one) for one in takes]))


def way_command(
    session: SessionId,
    drum: Annotated[int, typer.Argument(help="The drum's number in the kit, 1 is the first")],
    to: Annotated[int, typer.Argument(help="The take whose setup to go to: 1 is the oldest")],
    start: Annotated[
        int | None, typer.Option("--from", help="The take to start from; else how it is now")
    ] = None,
    gone: Annotated[bool, typer.Option("--gone", help="Mark this route as done")] = False,
) -> None:
    """Print the way from one setup of a drum to another; keep that it was gone."""
    from emblar.formats.journey import way_file
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.bench.actions.way_back import go_back, way_to
    from emblar.steps.match.actions.comparison import match

    if gone and start is not None:
        raise InputError("Only a way from how the drum is now can be gone. Leave --from out.")
    with database_at_hand():
        slot = _drum(session, drum)
        takes = {take.number: take for take in match(HERE, session, slot.id).takes}
        if not takes:
            raise InputError(f"{slot.owned.name} has no takes yet. Record one in Match first.")
        for number in (to, start):
            if number is not None and number not in takes:
                raise InputError(f"Choose one of the takes {', '.join(map(str, takes))}.")
        setup = takes[to].info.setup_id or 0
        first = None if start is None else takes[start].info.setup_id
        if gone:
            way = go_back(HERE, session, slot.id, setup)
        else:
            way = way_to(HERE, session, slot.id, setup, first)
    print_json(way_file(slot.owned.name, way))


def _take_file(take: "Take") -> "JourneyTakeFile":
    from emblar.formats.journey import JourneyTakeFile

    info = take.info
    return JourneyTakeFile(
        take=info.id,
        number=take.number,
        filename=info.filename,
        state=info.state,
        setup_id=info.setup_id,
        setup=take.setup,
        note=take.note,
        picture=take.picture,
        steps_off=round(take.comparison.apart, 3) if take.comparison else None,
    )


def pads_command(
    session: SessionId,
    add: Annotated[str | None, typer.Option("--add", help="Add a pad by this name")] = None,
    made_of: Annotated[str, typer.Option("--made-of", help="What it is made of")] = "",
    part: Annotated[
        str, typer.Option("--part", help="The voice of the record it is to sound like: hat, …")
    ] = "",
    pad: Annotated[int | None, typer.Option("--pad", help="Which pad, by its id")] = None,
    take: Annotated[
        Path | None, typer.Option("--take", help="A take of that pad; the worker measures it")
    ] = None,
    remove: Annotated[bool, typer.Option("--remove", help="Remove that pad")] = False,
) -> None:
    """List cymbals and pads with their newest take; add one, bring a take, remove one."""
    from emblar.formats.journey import PadsFile
    from emblar.frame.commands import read_bytes
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.match.actions.pads import add_pad, bring_pad_take, pads, take_pad_away

    if pad is None and (take is not None or remove):
        raise InputError("Say which pad with --pad: its id, as emblar pads lists it.")
    with database_at_hand():
        if add is not None:
            add_pad(HERE, session, add, made_of, part)
        if pad is not None and take is not None:
            bring_pad_take(HERE, session, pad, take.name, read_bytes(take))
        if pad is not None and remove:
            take_pad_away(HERE, session, pad)
        result = pads(HERE, session).rows
    print_json(PadsFile(pads=[_pad_file(row) for row in result]))


def _pad_file(pad: "Pad") -> "PadFile":
    from emblar.formats.comparison import comparison_file
    from emblar.formats.journey import PadFile

    info, take = pad.info, pad.newest
    newest = comparison_file(info.part or "", take.comparison) if take and take.comparison else None
    return PadFile(
        id=info.id,
        name=info.name,
        made_of=info.made_of,
        part=info.part,
        takes=len(pad.takes),
        newest=newest,
    )


def round_command(
    sound: Annotated[Path, typer.Argument(help="Every drum struck in turn, one microphone")],
    drum: Annotated[list[str], typer.Option("--drum", help="A drum, in the order played")],
    tom: Annotated[list[str] | None, typer.Option("--tom", help="Which of them are toms")] = None,
    strikes: Annotated[int, typer.Option("--strikes", help="Strokes on each drum")] = 3,
) -> None:
    """Say how loud each drum of a kit is next to the others."""
    from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
    from emblar.core.matching.round import MOST_STRIKES, read_round, standings
    from emblar.formats.journey import round_file
    from emblar.frame.commands import read_bytes
    from emblar.platform.sound.clips import clip_samples

    if len(set(drum)) < len(drum) or len(drum) < 2:
        raise InputError("Give two drums or more with --drum, each by another name.")
    if not 1 <= strikes <= MOST_STRIKES:
        raise InputError(f"Strike each drum 1 to {MOST_STRIKES} times.")
    missing = sorted(set(tom or ()) - set(drum))
    if missing:
        raise InputError(f"{missing[0]} is not among the drums.")
    samples = clip_samples(read_bytes(sound))
    played = read_round(samples, ANALYSIS_RATE_HZ, drum, strikes)
    print_json(round_file(played, standings(played, tom or [])))
