"""Kits from before: the last session's, one kept by name, one to begin with; the studio's drums."""

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from emblar.core.errors import InputError, NotFoundError
from emblar.core.planning.kit import LONGEST_NAME, OwnedDrum
from emblar.core.planning.presets import preset_kit, preset_kits
from emblar.platform import sessions as session_store
from emblar.platform.studio import Studio, in_session
from emblar.steps.kit.actions.drums import match_by_size
from emblar.steps.kit.queries import drums as drum_store
from emblar.steps.kit.queries import slots as store
from emblar.steps.kit.queries.drums import StudioDrum
from emblar.steps.kit.queries.slots import KitDrum, SavedKit

FROM_SESSION = "session"
SAVED = "saved"
PRESET = "preset"


@dataclass(frozen=True, slots=True)
class KitChoice:
    """A kit that a session can begin with: ``source`` as ``session-3``, and in words."""

    source: str
    name: str
    drums: tuple[str, ...]


def kit_choices(studio: Studio, *, without: int | None = None) -> list[KitChoice]:
    """Return the kits a session can begin with, the last one first.

    Parameters
    ----------
    studio
        The studio.
    without
        The session that asks; its own kit is no choice.
    """
    with studio.work() as db:
        last = session_store.last_with_drums(db, studio.studio_id, without)
        choices = []
        if last is not None:
            names = tuple(d.owned.name for d in store.listing(db, last.id))
            choices.append(KitChoice(f"{FROM_SESSION}-{last.id}", f"the kit of {last.name}", names))
        drums = {d.id: d.owned.name for d in drum_store.listing(db, studio.studio_id)}
        choices += [
            KitChoice(f"{SAVED}-{k.id}", k.name, tuple(drums[d] for d in k.drum_ids))
            for k in store.saved(db, studio.studio_id)
        ]
    choices += [
        KitChoice(f"{PRESET}-{k.id}", f"new {k.name} kit", tuple(d.name for d in k.drums))
        for k in preset_kits()
    ]
    return choices


def usual_kit(choices: Sequence[KitChoice]) -> str:
    """Return the kit that is offered to a new session: the last session's, or none."""
    first = choices[0].source if choices else ""
    return first if first.startswith(FROM_SESSION) else ""


@dataclass(frozen=True, slots=True)
class KitChange:
    """Slots that were added to a kit and removed from it."""

    added: tuple[KitDrum, ...]
    removed: tuple[int, ...] = ()


def bring_kit(
    studio: Studio, session_id: int, source: str, *, replace_kit: bool = False
) -> KitChange:
    """Add a kit to a session, or put it in place of the session's kit; match it to the record.

    A drum that is in the kit already stays as it is. A preset's drum that the studio has already is
    that drum; one of another size by the same name gets a number.

    Parameters
    ----------
    studio, session_id
        Where to.
    source
        Of a ``KitChoice``.
    replace_kit
        Whether the drums that are in the kit now are removed from it.

    Raises
    ------
    InputError
        There is no such kit.
    """
    kind, _, key = source.partition("-")
    with in_session(studio, session_id) as db:
        before = {drum.id for drum in store.listing(db, session_id)}
        if kind == PRESET:
            slots = [_preset_drum(db, studio, session_id, d) for d in preset_kit(key).drums]
        elif kind == FROM_SESSION and key.isdigit():
            session_store.get(db, studio.studio_id, int(key))
            theirs = store.listing(db, int(key))
            slots = [store.use(db, session_id, drum.drum_id) for drum in theirs]
            for slot, drum in zip(slots, theirs, strict=True):
                store.set_stand(db, session_id, slot.id, drum.stand)
            store.set_order(db, session_id, [slot.id for slot in slots])
        elif kind == SAVED and key.isdigit():
            result = [k for k in store.saved(db, studio.studio_id) if k.id == int(key)]
            if not result:
                raise InputError("That kit is not here any more. Choose another.", field="kit")
            slots = [store.use(db, session_id, drum_id) for drum_id in result[0].drum_ids]
        else:
            raise InputError("Choose a kit from the list.", field="kit")
        available = {slot.id for slot in slots}
        removed = tuple(sorted(before - available)) if replace_kit else ()
        for slot_id in removed:
            store.delete(db, session_id, slot_id)
    match_by_size(studio, session_id)
    with in_session(studio, session_id) as db:
        rows = store.listing(db, session_id)
        return KitChange(tuple(d for d in rows if d.id in available - before), removed)


def _preset_drum(db: Session, studio: Studio, session_id: int, owned: OwnedDrum) -> KitDrum:
    """Put a preset's drum into a kit: the studio's own if it has it, else a new one."""
    drums = drum_store.listing(db, studio.studio_id)
    by_name = {d.owned.name.casefold(): d for d in drums}
    same = by_name.get(owned.name.casefold())
    if same is not None and _size(same.owned) == _size(owned):
        return store.use(db, session_id, same.id)
    name = free_name(owned.name, [d.owned.name for d in drums])
    return store.add(db, session_id, replace(owned, name=name), None)


def _size(owned: OwnedDrum) -> tuple[str, float, float]:
    return owned.kind, owned.diameter_in, owned.depth_in


def undo_kit(studio: Studio, session_id: int, added: Sequence[int], removed: Sequence[int]) -> None:
    """Undo what bringing a kit changed.

    Parameters
    ----------
    studio, session_id
        Where.
    added, removed
        Ids of the slots that were added, and of those that were removed. A drum that was new to the
        studio with its slot, and is in no other kit, is deleted.
    """
    with in_session(studio, session_id) as db:
        available = {d.id: d for d in store.listing(db, session_id)}
        for slot_id in added:
            if slot_id in available:
                store.delete(db, session_id, slot_id)
                if store.is_new_with(db, slot_id):
                    drum_store.delete(db, studio.studio_id, available[slot_id].drum_id)
        for slot_id in removed:
            with contextlib.suppress(NotFoundError):
                store.restore(db, session_id, slot_id)


def save_kit(studio: Studio, session_id: int, name: str) -> SavedKit:
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
    with in_session(studio, session_id) as db:
        drums = store.listing(db, session_id)
        if not drums:
            raise InputError("There are no drums in this kit yet. Add some first.")
        return store.save(db, studio.studio_id, title, [d.drum_id for d in drums])


def delete_saved_kit(studio: Studio, kit_id: int) -> None:
    """Forget a kit kept by name; its drums stay."""
    with studio.work() as db:
        store.delete_saved(db, studio.studio_id, kit_id)


def studio_drums(studio: Studio, session_id: int) -> list[StudioDrum]:
    """Return the studio's drums that are not in a session's kit."""
    with in_session(studio, session_id) as db:
        available = {d.drum_id for d in store.listing(db, session_id)}
        return [d for d in drum_store.listing(db, studio.studio_id) if d.id not in available]


def use_drum(studio: Studio, session_id: int, drum_id: int) -> KitDrum:
    """Put a drum of the studio into a session's kit."""
    with in_session(studio, session_id) as db:
        return store.use(db, session_id, drum_id)


def copy_drum(studio: Studio, session_id: int, slot_id: int) -> KitDrum:
    """Add a drum like one that is there, under a name of its own."""
    with in_session(studio, session_id) as db:
        drum = store.get(db, session_id, slot_id)
        names = [d.owned.name for d in drum_store.listing(db, studio.studio_id)]
        owned = replace(drum.owned, name=free_name(drum.owned.name, names))
        return store.add(db, session_id, owned, None, lent_by=drum.lent_by)


def free_name(name: str, taken: Sequence[str]) -> str:
    """Return a name that no drum has: the one wished for, or with a number after it."""
    used = {one.casefold() for one in taken}
    if name.casefold() not in used:
        return name
    base = name[: LONGEST_NAME - 4]
    numbered = (f"{base} {n}" for n in range(2, len(used) + 3))
    return next(one for one in numbered if one.casefold() not in used)


def move_drum(studio: Studio, session_id: int, slot_id: int, by: int) -> None:
    """Move a drum earlier (−1) or later (+1) in the kit's order."""
    with in_session(studio, session_id) as db:
        order = [d.id for d in store.listing(db, session_id)]
        store.get(db, session_id, slot_id)
        position = order.index(slot_id)
        to = min(max(position + by, 0), len(order) - 1)
        order.insert(to, order.pop(position))
        store.set_order(db, session_id, order)
