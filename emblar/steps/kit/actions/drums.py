"""Kit: which drums are here, what is on them, which voice each is to play."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from emblar.core.errors import InputError
from emblar.core.planning.findings import findings
from emblar.core.planning.kit import LONGEST_NAME, OwnedDrum
from emblar.core.planning.recipe import kind_of_voice
from emblar.core.voices import TUNED, VoiceName, checked_voice
from emblar.platform.studio import Studio, in_session
from emblar.steps.kit.queries import drums as drum_store
from emblar.steps.kit.queries import slots as store
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.recordings import AnalysedRecord, analysed_record

STANDS = ("rack", "floor")


def kit(studio: Studio, session_id: int) -> list[KitDrum]:
    """Return the drums of a session's kit."""
    with in_session(studio, session_id) as db:
        return store.listing(db, session_id)


def tuned_voices(record: AnalysedRecord | None) -> list[str]:
    """Return the voices that a drum can be given, as measured."""
    if record is None:
        return []
    names = [voice.voice for voice in record.analysis.voices]
    return [name for name in names if VoiceName(name).is_tuned]


def _check_name(studio: Studio, name: str, *, but: int | None = None) -> None:
    """Raise ``InputError`` where another drum of the studio has a name."""
    with studio.work() as db:
        others = [d for d in drum_store.listing(db, studio.studio_id) if d.id != but]
    if any(d.owned.name.casefold() == name.strip().casefold() for d in others):
        raise InputError(
            f"You already have a drum named “{name.strip()}”. Add it from your drums, or choose "
            "another name.",
            field="name",
        )


def _check(studio: Studio, owned: OwnedDrum) -> None:
    catalogue = studio.catalogue()
    if not owned.name.strip():
        raise InputError("Give the drum a name, for example “Rack 12”.", field="name")
    if len(owned.name) > LONGEST_NAME:
        raise InputError(
            f"The name has {len(owned.name)} letters; give it one of up to {LONGEST_NAME}.",
            field="name",
        )
    sides = (("batter", owned.batter), ("reso", owned.reso))
    for side, head in sides:
        if head is None:
            continue
        made = catalogue.construction(head)
        if side not in made.sides or owned.kind not in made.kinds:
            raise InputError(
                f"“{made.name}” is not made for the {side} side of a {owned.kind}. "
                "Choose another head."
            )
    catalogue.loss_share(owned.hoop, owned.shell, owned.edge)


def add_drum(studio: Studio, session_id: int, owned: OwnedDrum, *, lent_by: str = "") -> KitDrum:
    """Add a drum; it is given the voice it suits best among those that no drum plays yet."""
    _check(studio, owned)
    _check_name(studio, owned.name)
    result = analysed_record(studio, session_id)
    with in_session(studio, session_id) as db:
        taken = {d.voice for d in store.listing(db, session_id)}
        free = [
            v for v in tuned_voices(result) if v not in taken and kind_of_voice(v) == owned.kind
        ]
        drum = store.add(db, session_id, owned, None, lent_by=lent_by.strip())
        if len(free) == 1 or (free and owned.kind != "tom"):
            drum = store.assign(db, drum.id, free[0])
    return drum


def change_drum(
    studio: Studio,
    session_id: int,
    drum_id: int,
    owned: OwnedDrum,
    *,
    lent_by: str | None = None,
    stand: str | None = None,
    second_for: str | None = None,
) -> KitDrum:
    """Change a drum's description or heads, in every kit it is in.

    Parameters
    ----------
    studio, session_id, drum_id, owned
        Which drum, and what it is like now.
    lent_by
        Who lent it, empty if it is the studio's own.
    stand
        Where it stands in this kit, ``"rack"`` or ``"floor"``, empty for where its size says.
    second_for
        The part it plays as a second drum or is a candidate for, empty for none.

        What is None stays as it is.
    """
    _check(studio, owned)
    if lent_by is not None and len(lent_by) > LONGEST_NAME:
        raise InputError(f"Borrowed from: up to {LONGEST_NAME} letters.", field="lent_by")
    if stand and stand not in STANDS:
        raise InputError(f"“{stand}” is not possible. Choose {', '.join(STANDS)}.", field="stand")
    with in_session(studio, session_id) as db:
        drum = store.get(db, session_id, drum_id)
        if owned.name.strip().casefold() != drum.owned.name.casefold():
            _check_name(studio, owned.name, but=drum.drum_id)
        if second_for:
            _check_part(owned, second_for)
            store.assign(db, drum_id, second_for, also=True)
        elif second_for is not None and drum.also:
            store.assign(db, drum_id, None)
        if stand is not None:
            store.set_stand(db, session_id, drum_id, stand or None)
        lender = lent_by.strip() if lent_by is not None else None
        return store.change(db, session_id, drum_id, owned, lent_by=lender)


def delete_drum(studio: Studio, drum_id: int) -> str:
    """Delete a drum from the studio and from every kit, for 30 days undoable; return its name."""
    with studio.work() as db:
        name = drum_store.get(db, studio.studio_id, drum_id).owned.name
        drum_store.delete(db, studio.studio_id, drum_id)
    return name


def restore_drum(studio: Studio, drum_id: int) -> None:
    """Undo the deletion of a drum."""
    with studio.work() as db:
        drum_store.restore(db, studio.studio_id, drum_id)


def take_out_drum(studio: Studio, session_id: int, drum_id: int) -> KitDrum:
    """Take a drum out of the kit; it can be brought back."""
    with in_session(studio, session_id) as db:
        return store.delete(db, session_id, drum_id)


def bring_back_drum(studio: Studio, session_id: int, drum_id: int) -> KitDrum:
    """Bring a drum back into its kit."""
    with in_session(studio, session_id) as db:
        return store.restore(db, session_id, drum_id)


def assign_voice(studio: Studio, session_id: int, voice: str, drum_id: int | None) -> None:
    """Let a drum play a voice of the record, or no drum."""
    with in_session(studio, session_id) as db:
        drums = store.listing(db, session_id)
        for drum in drums:
            if drum.voice == voice and drum.id != drum_id and not drum.also:
                store.assign(db, drum.id, None)
        chosen = next((d for d in drums if d.id == drum_id), None)
        if chosen is None:
            return
        _check_part(chosen.owned, voice)
        store.assign(db, chosen.id, voice)


def _check_part(owned: OwnedDrum, voice: str) -> None:
    checked_voice(voice)
    if owned.kind == "snare" and kind_of_voice(voice) != "snare":
        raise InputError(
            f"{owned.name} is a snare; give {voice.replace('-', ' ')} to a tom or a kick instead."
        )


@dataclass(frozen=True, slots=True)
class Given:
    """A drum that plays another part than before, or none: its name, both parts, and findings."""

    name: str
    before: str | None
    part: str | None
    findings: tuple[str, ...] = ()
    """Serious ones, in words: no tuning cures them."""


def parts_of(drums: Sequence[KitDrum]) -> dict[int, str | None]:
    """Return which part each drum is the first to play, by the drum's id; seconds stay as said."""
    return {drum.id: drum.voice for drum in drums if not drum.also}


def changes_since(studio: Studio, session_id: int, before: Mapping[int, str | None]) -> list[Given]:
    """Return which drums play another part than before, as ``parts_of`` told it."""
    return [
        Given(drum.owned.name, before[drum.id], drum.voice, serious(drum.owned))
        for drum in kit(studio, session_id)
        if drum.id in before and drum.voice != before[drum.id]
    ]


def serious(owned: OwnedDrum) -> tuple[str, ...]:
    """Return what an inspection found on a drum that no tuning cures, in words."""
    return tuple(findings()[name].name for name in owned.findings if findings()[name].serious)


def give_back(studio: Studio, session_id: int, before: Mapping[int, str | None]) -> None:
    """Let drums play the parts they played before."""
    with in_session(studio, session_id) as db:
        drums = {d.id for d in store.listing(db, session_id)}
        for drum_id in drums & set(before):
            store.assign(db, drum_id, None)
        for drum_id in sorted(drums & set(before)):
            part = before[drum_id]
            if part is not None:
                checked_voice(part)
                store.assign(db, drum_id, part)


def match_by_size(studio: Studio, session_id: int) -> None:
    """Give every voice to a drum: same kind, toms by size from high to low.

    A drum with a fault that no tuning cures is left out as long as others do.
    """
    voices = tuned_voices(analysed_record(studio, session_id))
    with in_session(studio, session_id) as db:
        drums = [d for d in store.listing(db, session_id) if not d.also]
        for drum in drums:
            store.assign(db, drum.id, None)
        for kind in TUNED:
            wanted = sorted(v for v in voices if kind_of_voice(v) == kind)
            members = [d for d in drums if d.owned.kind == kind]
            sound = [d for d in members if not serious(d.owned)]
            members = sound if len(sound) >= len(wanted) else members
            members.sort(key=lambda d: (d.owned.diameter_in, d.owned.depth_in))
            for voice, drum in zip(wanted, members, strict=False):
                store.assign(db, drum.id, voice)
