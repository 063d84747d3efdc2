"""Sharing: links by which an engineer or artist sees a session, and what they say of it.

A link is a secret that is shown once; only its hash is kept. It shows the parts it was made for and
nothing else, until it expires or is ended.
"""

import hashlib
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from emblar.core.errors import InputError, NotFoundError
from emblar.core.quantities.registry import steps as all_steps
from emblar.platform.database import transaction
from emblar.platform.settings import current_time
from emblar.platform.studio import Studio, in_session
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan.actions.planning import replan_drum
from emblar.steps.share import queries as store
from emblar.steps.share.queries import CommentInfo, ShareInfo

PARTS = ("sheet", "match", "sounds")
BENCH = "bench"
"""What a paired phone works at; no link to look at has it."""
PHONE = "Phone at the drum"
PHONE_DAYS = 1
MOST_DAYS = 30
MOST_LINKS = 50
MOST_COMMENTS = 200
LONGEST_NAME = 80
LONGEST_SAID = 500
TOKEN_BYTES = 24
LONGEST_TOKEN = 64
MOST_STEPS = 10.0
HEARD_STEPS = 2.0
"""“More of it” is wished as so many audible steps: clearly heard, not another drum."""
ENOUGH = "Enough was said of this session. Answer what is there first."
ENOUGH_THROUGH = "Enough was said through this link. Ask for a new one."
GONE = "This link has ended. Ask whoever sent it for a new one."
NEW = "new"
ACCEPTED = "accepted"
ASIDE = "set aside"


@dataclass(frozen=True, slots=True)
class Opened:
    """A link that was opened: whose, and what it shows."""

    studio: Studio
    share: ShareInfo

    @property
    def session_id(self) -> int:
        """The session it shows."""
        return self.share.session_id

    def check(self, part: str) -> None:
        """Check that the link shows a part.

        Raises
        ------
        NotFoundError
            It does not.
        """
        if part not in self.share.parts:
            raise NotFoundError("This link does not show that.")


@dataclass(frozen=True, slots=True)
class Said:
    """What was said of a drum, with the drum and the link's name."""

    comment: CommentInfo
    drum: str
    link: str


def make_share(studio: Studio, session_id: int, name: str, parts: Sequence[str], days: int) -> str:
    """Make a link and return its token, which is not kept.

    Raises
    ------
    InputError
        It is for nobody, shows nothing, or lasts too long.
    """
    called = name.strip()
    if not called:
        raise InputError("Say for whom the link is.", field="name")
    if len(called) > LONGEST_NAME:
        raise InputError(f"Up to {LONGEST_NAME} letters.", field="name")
    chosen = tuple(part for part in PARTS if part in parts)
    if not chosen or len(chosen) != len(set(parts)):
        raise InputError("Choose what the link shows.", field="parts")
    if not 1 <= days <= MOST_DAYS:
        raise InputError(f"{days} days will not do: 1 to {MOST_DAYS}.", field="days")
    return _kept(studio, session_id, called, chosen, days)


def pair_phone(studio: Studio, session_id: int) -> str:
    """Make a link by which a phone works at a session's bench for a day; return its token."""
    return _kept(studio, session_id, PHONE, (BENCH,), PHONE_DAYS)


def _kept(studio: Studio, session_id: int, called: str, chosen: tuple[str, ...], days: int) -> str:
    token = secrets.token_urlsafe(TOKEN_BYTES)
    with in_session(studio, session_id) as db:
        if len(_alive(store.listing(db, session_id))) >= MOST_LINKS:
            raise InputError(f"{MOST_LINKS} links are open already. End some first.")
        store.add(
            db, session_id, _hash(token), called, chosen, current_time() + timedelta(days=days)
        )
    return token


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _alive(matches: Sequence[ShareInfo]) -> list[ShareInfo]:
    return [s for s in matches if s.revoked_at is None and s.expires_at > current_time()]


def shares(studio: Studio, session_id: int) -> list[ShareInfo]:
    """Return a session's links that are open, the newest first."""
    with in_session(studio, session_id) as db:
        return _alive(store.listing(db, session_id))


def end_share(studio: Studio, session_id: int, share_id: int) -> None:
    """End a link: who follows it finds nothing."""
    with in_session(studio, session_id) as db:
        store.revoke(db, session_id, share_id, current_time())


def open_share(token: str, *, count: bool = False, phone: bool = False) -> Opened:
    """Return what a link shows.

    Parameters
    ----------
    count
        Whether it is counted as opened: for its page, not for each sound on it.
    phone
        Whether it is one of a paired phone; one is not taken for the other.

    Raises
    ------
    NotFoundError
        There is no such link, it has expired, or was ended.
    """
    if len(token) > LONGEST_TOKEN or not token.isascii():
        raise NotFoundError(GONE)
    with transaction() as db:
        share = store.by_token(db, _hash(token))
        if share is None or not _alive([share]) or (BENCH in share.parts) != phone:
            raise NotFoundError(GONE)
        if count:
            store.count_opened(db, share.id)
    return Opened(Studio(share.studio_id, user=f"link {share.id}"), share)


def say(
    opened: Opened, slot_id: int, author: str, description: str, quantity: str, more: bool
) -> None:
    """Keep what somebody says of a drum through a link; as ``say_here``."""
    _say(
        opened.studio,
        opened.session_id,
        opened.share.id,
        slot_id,
        (author, description, quantity),
        more,
    )


def say_here(
    studio: Studio,
    session_id: int,
    slot_id: int,
    author: str,
    description: str,
    quantity: str,
    more: bool,
) -> None:
    """Keep what somebody with an account says of a drum.

    Parameters
    ----------
    quantity, more
        What there should be more or less of (a name of ``registry.toml``); empty for words alone.

    Raises
    ------
    InputError
        Nothing is said, by nobody, of no such drum, or too much was said already.
    """
    _say(studio, session_id, None, slot_id, (author, description, quantity), more)


def _say(
    studio: Studio,
    session_id: int,
    share_id: int | None,
    slot_id: int,
    words: tuple[str, str, str],
    more: bool,
) -> None:
    user, description, quantity = words
    name, text = user.strip(), description.strip()
    if not name or len(name) > LONGEST_NAME:
        raise InputError(f"Give your name, up to {LONGEST_NAME} letters.", field="who")
    if len(text) > LONGEST_SAID:
        raise InputError(f"Up to {LONGEST_SAID} letters.", field="said")
    if quantity and quantity not in all_steps():
        raise InputError("Choose what there should be more or less of.", field="quantity")
    if not text and not quantity:
        raise InputError("Say something, or choose what there should be more of.", field="said")
    by = (HEARD_STEPS if more else -HEARD_STEPS) if quantity else None
    with in_session(studio, session_id) as db:
        if slot_id not in {d.id for d in kit(studio, session_id)}:
            raise NotFoundError("That drum is not in this kit any more.")
        if store.count_comments(db, session_id, share_id) >= MOST_COMMENTS:
            raise InputError(ENOUGH if share_id is None else ENOUGH_THROUGH)
        store.add_comment(db, share_id, slot_id, name, text, quantity or None, by)


def said_through(opened: Opened) -> list[CommentInfo]:
    """Return what was said through a link, the oldest first."""
    with transaction() as db:
        return store.comments(db, opened.session_id, share_id=opened.share.id)


def comments_on(studio: Studio, session_id: int) -> list[Said]:
    """Return what was said of a session, the newest first."""
    drums = {d.id: d.owned.name for d in kit(studio, session_id)}
    with in_session(studio, session_id) as db:
        links = {s.id: s.name for s in store.listing(db, session_id)}
        result = store.comments(db, session_id)
    return [
        Said(c, drums.get(c.slot_id, "a drum that was taken out"), links.get(c.share_id or 0, ""))
        for c in reversed(result)
    ]


def accept(studio: Studio, session_id: int, comment_id: int) -> None:
    """Take what was said as a wish: the drum is planned anew with it.

    Raises
    ------
    InputError
        It was answered already.
    """
    with studio.together() as unit, unit.work() as db:
        drums = {d.id: d for d in kit(unit, session_id)}
        comment = _answered(unit, session_id, comment_id, ACCEPTED)
        drum = drums.get(comment.slot_id)
        if drum is None:
            raise NotFoundError("That drum is not in this kit any more.")
        db.flush()
        if comment.quantity is not None and comment.steps is not None:
            replan_drum(unit, session_id, drum.id, _wished(drum, comment.quantity, comment.steps))


def set_aside(studio: Studio, session_id: int, comment_id: int) -> None:
    """Leave what was said as it is.

    Raises
    ------
    InputError
        It was answered already.
    """
    with studio.together() as unit:
        _answered(unit, session_id, comment_id, ASIDE)


def _answered(studio: Studio, session_id: int, comment_id: int, state: str) -> CommentInfo:
    with in_session(studio, session_id) as db:
        before = store.set_state(db, session_id, comment_id, state)
    if before.state != NEW:
        raise InputError(f"This was {before.state} already.")
    return before


def _wished(drum: KitDrum, quantity: str, by: float) -> dict[str, object]:
    steps = dict(drum.wish.get("steps", {}))
    steps[quantity] = max(-MOST_STEPS, min(steps.get(quantity, 0.0) + by, MOST_STEPS))
    return {**drum.wish, "steps": {name: s for name, s in steps.items() if s}}
