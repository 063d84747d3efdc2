"""Kit: which drums are here, what is on them, which voice each is to play."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from emblar.actions.listen import Heard, heard
from emblar.actions.shelf import use_own_parts
from emblar.core.analysis.edits import check_voice
from emblar.core.catalogue import construction, loss_share
from emblar.core.errors import InputError
from emblar.core.planning.findings import findings
from emblar.core.planning.kit import LONGEST_NAME, OwnedDrum
from emblar.core.planning.recipe import kind_of_voice
from emblar.store import drums as store
from emblar.store import sessions as session_store
from emblar.store.database import transaction
from emblar.store.drums import KitDrum

TUNED_VOICES = ("kick", "snare", "tom")


def kit(session_id: int) -> list[KitDrum]:
    """Return the drums of a session's kit."""
    with transaction() as db:
        return store.listing(db, session_id)


def tuned_voices(found: Heard | None) -> list[str]:
    """Return the voices that a drum can be given, as measured."""
    if found is None:
        return []
    names = [voice.voice for voice in found.analysis.voices]
    return [name for name in names if name.startswith(TUNED_VOICES)]


def _check(owned: OwnedDrum) -> None:
    use_own_parts()
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
        made = construction(head)
        if side not in made.sides or owned.kind not in made.kinds:
            raise InputError(
                f"“{made.name}” is not made for the {side} side of a {owned.kind}. "
                "Choose another head."
            )
    loss_share(owned.hoop, owned.shell, owned.edge)


def add_drum(session_id: int, owned: OwnedDrum) -> KitDrum:
    """Add a drum; it is given the voice it suits best among those that no drum plays yet."""
    _check(owned)
    found = heard(session_id)
    with transaction() as db:
        session_store.get(db, session_id)
        taken = {d.voice for d in store.listing(db, session_id)}
        free = [v for v in tuned_voices(found) if v not in taken and kind_of_voice(v) == owned.kind]
        drum = store.add(db, session_id, owned, None)
        if len(free) == 1 or (free and owned.kind != "tom"):
            drum = store.assign(db, drum.id, free[0])
    return drum


def change_drum(session_id: int, drum_id: int, owned: OwnedDrum) -> KitDrum:
    """Change a drum's description or heads."""
    _check(owned)
    with transaction() as db:
        return store.change(db, session_id, drum_id, owned)


def take_out_drum(session_id: int, drum_id: int) -> KitDrum:
    """Take a drum out of the kit; it can be brought back."""
    with transaction() as db:
        return store.delete(db, session_id, drum_id)


def bring_back_drum(session_id: int, drum_id: int) -> KitDrum:
    """Bring a drum back into its kit."""
    with transaction() as db:
        return store.restore(db, session_id, drum_id)


def assign_voice(session_id: int, voice: str, drum_id: int | None) -> None:
    """Let a drum play a voice of the record, or no drum."""
    with transaction() as db:
        drums = store.listing(db, session_id)
        for drum in drums:
            if drum.voice == voice and drum.id != drum_id:
                store.assign(db, drum.id, None)
        chosen = next((d for d in drums if d.id == drum_id), None)
        if chosen is None:
            return
        if chosen.owned.kind == "snare" and kind_of_voice(voice) != "snare":
            raise InputError(
                f"{chosen.owned.name} is a snare; give {voice} to a tom or a kick instead."
            )
        store.assign(db, chosen.id, voice)


@dataclass(frozen=True, slots=True)
class Given:
    """A drum that plays another part than before, or none: its name, both parts, and findings."""

    name: str
    before: str | None
    now: str | None
    findings: tuple[str, ...] = ()
    """Serious ones, in words: no tuning cures them."""


def parts_of(drums: Sequence[KitDrum]) -> dict[int, str | None]:
    """Return which part of the record each drum plays, by the drum's id."""
    return {drum.id: drum.voice for drum in drums}


def changes_since(session_id: int, before: Mapping[int, str | None]) -> list[Given]:
    """Return which drums play another part than before, as ``parts_of`` told it."""
    return [
        Given(drum.owned.name, before[drum.id], drum.voice, serious(drum.owned))
        for drum in kit(session_id)
        if drum.id in before and drum.voice != before[drum.id]
    ]


def serious(owned: OwnedDrum) -> tuple[str, ...]:
    """Return what an inspection found on a drum that no tuning cures, in words."""
    return tuple(findings()[name].name for name in owned.findings if findings()[name].serious)


def give_back(session_id: int, before: Mapping[int, str | None]) -> None:
    """Let drums play the parts they played before."""
    with transaction() as db:
        drums = {d.id for d in store.listing(db, session_id)}
        for drum_id in drums & set(before):
            store.assign(db, drum_id, None)
        for drum_id in sorted(drums & set(before)):
            part = before[drum_id]
            if part is not None:
                check_voice(part)
                store.assign(db, drum_id, part)


def suggest_voices(session_id: int) -> None:
    """Give every voice to a drum: same kind, toms by size from high to low.

    A drum with a fault that no tuning cures is left out as long as others do.
    """
    voices = tuned_voices(heard(session_id))
    with transaction() as db:
        drums = store.listing(db, session_id)
        for drum in drums:
            store.assign(db, drum.id, None)
        for kind in TUNED_VOICES:
            wanted = sorted(v for v in voices if kind_of_voice(v) == kind)
            own = [d for d in drums if d.owned.kind == kind]
            sound = [d for d in own if not serious(d.owned)]
            own = sound if len(sound) >= len(wanted) else own
            own.sort(key=lambda d: (d.owned.diameter_in, d.owned.depth_in))
            for voice, drum in zip(wanted, own, strict=False):
                store.assign(db, drum.id, voice)
