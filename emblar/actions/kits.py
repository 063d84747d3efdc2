"""Kits from before: the last session's, one kept by name, one to begin with; the studio's drums."""

from dataclasses import dataclass, replace

from emblar.actions.kit import suggest_voices
from emblar.actions.scope import Scope, in_session
from emblar.core.errors import InputError
from emblar.core.planning.kit import LONGEST_NAME, OwnedDrum
from emblar.core.planning.presets import preset_kit, preset_kits
from emblar.store import drums as drum_store
from emblar.store import kit as store
from emblar.store import sessions as session_store
from emblar.store.database import transaction
from emblar.store.drums import StudioDrum
from emblar.store.kit import KitDrum, SavedKit

FROM_SESSION, SAVED, PRESET = "session", "saved", "preset"


@dataclass(frozen=True, slots=True)
class KitChoice:
    """A kit that a session can begin with: ``source`` as ``session-3``, and in words."""

    source: str
    name: str
    drums: tuple[str, ...]


def kit_choices(scope: Scope, *, without: int | None = None) -> list[KitChoice]:
    """Return the kits a session can begin with, the last one first.

    Parameters
    ----------
    scope
        The studio.
    without
        The session that asks; its own kit is no choice.
    """
    with transaction() as db:
        last = session_store.last_with_drums(db, scope.studio_id, without)
        choices = []
        if last is not None:
            names = tuple(d.owned.name for d in store.listing(db, last.id))
            choices.append(KitChoice(f"{FROM_SESSION}-{last.id}", f"the kit of {last.name}", names))
        drums = {d.id: d.owned.name for d in drum_store.listing(db, scope.studio_id)}
        choices += [
            KitChoice(f"{SAVED}-{k.id}", k.name, tuple(drums[d] for d in k.drum_ids))
            for k in store.saved(db, scope.studio_id)
        ]
    choices += [
        KitChoice(f"{PRESET}-{k.id}", f"new {k.name} kit", tuple(d.name for d in k.drums))
        for k in preset_kits()
    ]
    return choices


def bring_kit(scope: Scope, session_id: int, source: str) -> list[KitDrum]:
    """Put a kit from before into a session, beside what is in it, and give the drums their parts.

    Parameters
    ----------
    scope, session_id
        Where to.
    source
        Of a ``KitChoice``.

    Raises
    ------
    InputError
        There is no such kit.
    """
    kind, _, key = source.partition("-")
    with in_session(scope, session_id) as db:
        if kind == PRESET:
            for owned in preset_kit(key).drums:
                store.add(db, session_id, owned, None)
        elif kind == FROM_SESSION and key.isdigit():
            session_store.get(db, scope.studio_id, int(key))
            before = store.listing(db, int(key))
            slots = [store.use(db, session_id, drum.drum_id) for drum in before]
            for slot, drum in zip(slots, before, strict=True):
                store.set_stand(db, session_id, slot.id, drum.stand)
            store.set_order(db, session_id, [slot.id for slot in slots])
        elif kind == SAVED and key.isdigit():
            found = [k for k in store.saved(db, scope.studio_id) if k.id == int(key)]
            if not found:
                raise InputError("That kit is not here any more. Choose another.", field="kit")
            for drum_id in found[0].drum_ids:
                store.use(db, session_id, drum_id)
        else:
            raise InputError(f"“{source}” is no kit. Choose one of the list.", field="kit")
    suggest_voices(scope, session_id)
    with in_session(scope, session_id) as db:
        return store.listing(db, session_id)


def save_kit(scope: Scope, session_id: int, name: str) -> SavedKit:
    """Keep a session's kit by name, to begin another session with.

    Raises
    ------
    InputError
        It has no name, or there are no drums to keep.
    """
    title = name.strip()
    if not title or len(title) > LONGEST_NAME:
        raise InputError(
            f"Give the kit a name of up to {LONGEST_NAME} letters, for example “Room A”.",
            field="kit_name",
        )
    with in_session(scope, session_id) as db:
        drums = store.listing(db, session_id)
        if not drums:
            raise InputError("There are no drums in this kit yet. Add some first.")
        return store.save(db, scope.studio_id, title, [d.drum_id for d in drums])


def delete_saved_kit(scope: Scope, kit_id: int) -> None:
    """Forget a kit kept by name; its drums stay."""
    with transaction() as db:
        store.delete_saved(db, scope.studio_id, kit_id)


def studio_drums(scope: Scope, session_id: int) -> list[StudioDrum]:
    """Return the studio's drums that are not in a session's kit."""
    with in_session(scope, session_id) as db:
        there = {d.drum_id for d in store.listing(db, session_id)}
        return [d for d in drum_store.listing(db, scope.studio_id) if d.id not in there]


def use_drum(scope: Scope, session_id: int, drum_id: int) -> KitDrum:
    """Put a drum of the studio into a session's kit."""
    with in_session(scope, session_id) as db:
        return store.use(db, session_id, drum_id)


def copy_drum(scope: Scope, session_id: int, slot_id: int) -> KitDrum:
    """Add a drum like one that is there, under a name of its own."""
    with in_session(scope, session_id) as db:
        drum = store.get(db, session_id, slot_id)
        names = {d.owned.name for d in store.listing(db, session_id)}
        return store.add(db, session_id, _renamed(drum.owned, names), None, lent_by=drum.lent_by)


def _renamed(owned: OwnedDrum, taken: set[str]) -> OwnedDrum:
    base = owned.name[: LONGEST_NAME - 4]
    number = next(n for n in range(2, len(taken) + 3) if f"{base} {n}" not in taken)
    return replace(owned, name=f"{base} {number}")


def move_drum(scope: Scope, session_id: int, slot_id: int, by: int) -> None:
    """Move a drum earlier (−1) or later (+1) in the kit's order."""
    with in_session(scope, session_id) as db:
        order = [d.id for d in store.listing(db, session_id)]
        store.get(db, session_id, slot_id)
        at = order.index(slot_id)
        to = min(max(at + by, 0), len(order) - 1)
        order.insert(to, order.pop(at))
        store.set_order(db, session_id, order)
