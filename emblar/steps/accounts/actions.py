"""Accounts: who may come in where others reach Emblar, with which role, and where from.

A password is kept as Argon2id; a login and an invitation are secrets of which only the hash is
kept. After too many wrong passwords for a name or from an address nobody tries on for a while.
"""

import hashlib
import secrets
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from functools import lru_cache
from importlib import resources
from typing import Literal, get_args

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from emblar.core.errors import InputError, NotFoundError, ServiceError
from emblar.platform.database import transaction
from emblar.platform.settings import current_time
from emblar.platform.studio import Studio
from emblar.steps.accounts import queries as store
from emblar.steps.accounts.queries import AccountInfo, InvitationInfo, LoginInfo

Role = Literal["owner", "tech", "guest"]
ROLES: tuple[Role, ...] = get_args(Role)
MAY: dict[str, str] = {
    "owner": "everything, and who else may come in",
    "tech": "all the work, but not who may come in, nor exports and imports of everything",
    "guest": "look and listen, change nothing",
}
LEAST_LETTERS = 10
MOST_LETTERS = 200
LONGEST_NAME = 60
LONGEST_DEVICE = 120
LEAST_DIFFERENT = 5
"""A password has this many different characters at least."""
TOKEN_BYTES = 32
LASTS = timedelta(days=30)
INVITED_FOR = timedelta(days=7)
MOST_WRONG = 5
"""Wrong passwords for a name from one address before both have to wait."""
MOST_WRONG_FROM = 20
"""Wrong passwords from one address before it has to wait."""
MOST_WRONG_EVERYWHERE = 100
"""Wrong passwords for a name from all addresses together before everybody has to wait."""
WAIT = timedelta(minutes=15)
"""How long to wait after too many wrong passwords."""
SEEN_EVERY = timedelta(minutes=5)
CHOOSE_ROLE = "Choose owner, tech or guest."
WRONG = "That name and password do not belong together."
WAIT_SAYS = "Too many wrong passwords. Try again in a quarter of an hour."
NOT_INVITED = "This invitation was used or has expired. Ask for a new one."


class TooManyAttemptsError(InputError):
    """A password was wrong too often; ``after_s`` says how long to wait."""

    after_s = int(WAIT.total_seconds())


@dataclass(frozen=True, slots=True)
class LoggedIn:
    """Who came in: the account, its studio, and the login."""

    account: AccountInfo
    login: LoginInfo

    @property
    def studio(self) -> Studio:
        """The studio, and who asks."""
        return Studio(self.account.studio_id, self.account.name)


HASHES_AT_ONCE = 2
"""Passwords that are hashed at a time: each takes 64 MiB and a processor."""
HASH_WAIT_S = 10.0
"""How long a login waits for its turn, s."""
_hashing = threading.BoundedSemaphore(HASHES_AT_ONCE)


class BusyError(ServiceError):
    """Too many passwords are being checked at once."""


@contextmanager
def _turn() -> Iterator[None]:
    """Hash a few passwords at a time: a flood of logins must not take all memory.

    Raises
    ------
    BusyError
        No turn came in ``HASH_WAIT_S``.
    """
    if not _hashing.acquire(timeout=HASH_WAIT_S):
        raise BusyError("Too many people are logging in just now. Try again in a minute.")
    try:
        yield
    finally:
        _hashing.release()


@lru_cache(maxsize=1)
def _hasher() -> PasswordHasher:
    # The library's own defaults are those of RFC 9106, low memory.
    return PasswordHasher()


@lru_cache(maxsize=1)
def _nobodys() -> str:
    """Return a hash that no password fits: a name that is none takes as long as one that is."""
    return _hasher().hash(secrets.token_urlsafe(TOKEN_BYTES))


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _checked(name: str, role: str, password: str) -> tuple[str, str]:
    """Return name and password hash of a new account.

    Raises
    ------
    InputError
        There is no name or role, or the password is too short or too long.
    """
    called = " ".join(name.split())
    if not called or len(called) > LONGEST_NAME:
        raise InputError(f"Give a name of up to {LONGEST_NAME} letters.", field="name")
    if role not in ROLES:
        raise InputError(CHOOSE_ROLE, field="role")
    return called, _password(password, called)


@lru_cache(maxsize=1)
def _common() -> frozenset[str]:
    text = (resources.files("emblar.steps.accounts") / "common_passwords.txt").read_text("utf-8")
    return frozenset(line for line in text.splitlines() if line and not line.startswith("#"))


def _is_common(password: str) -> bool:
    """Whether a password is on the list, one repeated, or of hardly any different characters."""
    folded = password.casefold().strip()
    bare = folded.strip("0123456789!.?*#@$% ")
    return len(set(folded)) < LEAST_DIFFERENT or folded in _common() or bare in _common()


def _password(password: str, name: str) -> str:
    if not LEAST_LETTERS <= len(password) <= MOST_LETTERS:
        raise InputError(
            f"Use {LEAST_LETTERS}–{MOST_LETTERS} characters; a few random words work well.",
            field="password",
        )
    if _is_common(password):
        raise InputError(
            "That password is among the first that attackers try. A few random words work well.",
            field="password",
        )
    if password.casefold().strip() == name.casefold():
        raise InputError("The password must not be the name.", field="password")
    with _turn():
        return _hasher().hash(password)


def add_account(studio_id: int, name: str, role: str, password: str) -> AccountInfo:
    """Add an account to a studio, as the command line does."""
    called, kept = _checked(name, role, password)
    with transaction() as db:
        return store.add(db, studio_id, called, role, kept)


def accounts(studio: Studio) -> list[AccountInfo]:
    """Return a studio's accounts."""
    with studio.work() as db:
        return store.listing(db, studio.studio_id)


def any_account() -> bool:
    """Whether there is an account that can let others in."""
    with transaction() as db:
        return store.count(db, "owner") > 0


def end_account(studio: Studio, account_id: int) -> AccountInfo:
    """End an account: it is logged out everywhere and comes in no more.

    Raises
    ------
    InputError
        It is the last owner's: nobody could let anybody in.
    """
    with studio.work() as db:
        # Two owners who end each other: one of them stays.
        store.one_by_one(db, f"accounts {studio.studio_id}")
        account = store.get(db, studio.studio_id, account_id)
        owners = [a for a in store.listing(db, studio.studio_id) if a.role == "owner"]
        if account.role == "owner" and len(owners) == 1:
            raise InputError("This is the last owner. Make somebody else one first.")
        store.end(db, account_id, current_time())
    return account


def log_in(name: str, password: str, device: str, address: str) -> str:
    """Return a new login's token, which is not kept.

    Raises
    ------
    TooManyAttemptsError
        A password was wrong too often for this name or from this address.
    InputError
        Name and password do not belong together.
    """
    folded = store.folded(name)
    # Guesses from elsewhere do not lock out whoever knows the password, unless there are very many.
    limits = {
        f"name {folded} from {address}": MOST_WRONG,
        f"address {address}": MOST_WRONG_FROM,
        f"name {folded}": MOST_WRONG_EVERYWHERE,
    }
    with transaction() as db:
        attempts = [
            store.attempt(db, _hash(key), current_time(), current_time() - WAIT, most)
            for key, most in limits.items()
        ]
        account = store.by_name(db, name)
    if None in attempts:
        raise TooManyAttemptsError(WAIT_SAYS)
    if not _fits(account, password[: MOST_LETTERS + 1]) or account is None:
        raise InputError(WRONG, field="password")
    token = secrets.token_urlsafe(TOKEN_BYTES)
    with transaction() as db:
        store.was_right(db, [row for row in attempts if row is not None])
        if _hasher().check_needs_rehash(account.password):
            store.set_password(db, account.id, _hasher().hash(password))
        store.log_in(db, account.id, _hash(token), device[:LONGEST_DEVICE], current_time())
    return token


def _fits(account: AccountInfo | None, password: str) -> bool:
    try:
        with _turn():
            return _hasher().verify(account.password if account else _nobodys(), password)
    except (VerificationError, InvalidHashError):
        return False


def logged_in_user(token: str) -> LoggedIn | None:
    """Return who comes in with a login's token, or None."""
    position = current_time()
    with transaction() as db:
        result = store.logged_in(db, _hash(token), position - LASTS)
        if result is None:
            return None
        account, login = result
        if position - login.seen_at > SEEN_EVERY:
            store.seen(db, login.id, position)
    return LoggedIn(account, login)


def logins(user: LoggedIn) -> list[LoginInfo]:
    """Return where somebody is logged in, the last used first."""
    with transaction() as db:
        return store.logins(db, user.account.id, current_time() - LASTS)


def end_login(user: LoggedIn, login_id: int) -> None:
    """End one login of one's own.

    Raises
    ------
    NotFoundError
        It is none of one's own.
    """
    with transaction() as db:
        if not store.end_logins(db, user.account.id, current_time(), only=login_id):
            raise NotFoundError("That login has ended already.")


def change_password(user: LoggedIn, old: str, new: str) -> None:
    """Change one's password; everywhere else one is logged out.

    Raises
    ------
    InputError
        The old one is wrong, or the new one will not do.
    """
    with transaction() as db:
        key = _hash(f"change {user.account.id}")
        attempt = store.attempt(db, key, current_time(), current_time() - WAIT, MOST_WRONG)
    if attempt is None:
        raise TooManyAttemptsError(WAIT_SAYS)
    if not _fits(user.account, old[: MOST_LETTERS + 1]):
        raise InputError("That is not your current password.", field="old")
    kept = _password(new, user.account.name)
    with transaction() as db:
        store.was_right(db, [attempt])
        store.set_password(db, user.account.id, kept)
        store.end_logins(db, user.account.id, current_time(), keep=user.login.id)


def invite(studio: Studio, role: str, *, made_by: int | None = None) -> str:
    """Make an invitation and return its token, which is not kept.

    Parameters
    ----------
    studio, role
        The studio, and the role it gives.
    made_by
        The account that makes it: it ends with it. None on the command line.
    """
    if role not in ROLES:
        raise InputError(CHOOSE_ROLE, field="role")
    token = secrets.token_urlsafe(TOKEN_BYTES)
    with studio.work() as db:
        until = current_time() + INVITED_FOR
        store.invite(db, studio.studio_id, _hash(token), role, until, made_by)
    return token


def invitations(studio: Studio) -> list[InvitationInfo]:
    """Return the studio's open invitations, the newest first."""
    with studio.work() as db:
        return store.invitations(db, studio.studio_id, current_time())


def revoke_invitation(studio: Studio, invitation_id: int) -> None:
    """End an open invitation.

    Raises
    ------
    NotFoundError
        It was used, has expired or was revoked.
    """
    with studio.work() as db:
        if not store.revoke(db, studio.studio_id, invitation_id, current_time()):
            raise NotFoundError("That invitation is not open any more.")


def invited_as(token: str) -> str:
    """Return the role that an invitation gives.

    Raises
    ------
    NotFoundError
        It was used or has expired.
    """
    with transaction() as db:
        result = store.invited(db, _hash(token), current_time())
    if result is None:
        raise NotFoundError(NOT_INVITED)
    return result[2]


def accept(token: str, name: str, password: str) -> AccountInfo:
    """Make the account that an invitation is for.

    Raises
    ------
    NotFoundError
        It was used or has expired.
    InputError, ConflictError
        Name or password will not do; the invitation still holds.
    """
    with transaction() as db:
        result = store.invited(db, _hash(token), current_time(), lock=True)
        if result is None:
            raise NotFoundError(NOT_INVITED)
        invitation_id, studio_id, role = result
        called, kept = _checked(name, role, password)
        account = store.add(db, studio_id, called, role, kept)
        store.used(db, invitation_id, current_time())
    return account
