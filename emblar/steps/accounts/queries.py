"""Accounts, where they are logged in, invitations, and wrong passwords."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, func, select, text, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from emblar.core.errors import ConflictError, NotFoundError
from emblar.platform.tables import AccountRow, InvitationRow, LoginAttemptRow, LoginRow


@dataclass(frozen=True, slots=True)
class AccountInfo:
    """An account; ``password`` is its Argon2id hash."""

    id: int
    studio_id: int
    name: str
    role: str
    password: str
    ended_at: datetime | None


@dataclass(frozen=True, slots=True)
class LoginInfo:
    """A browser in which an account is logged in."""

    id: int
    account_id: int
    device: str
    created_at: datetime
    seen_at: datetime


def _info(row: AccountRow) -> AccountInfo:
    return AccountInfo(row.id, row.studio_id, row.name, row.role, row.password, row.ended_at)


def folded(name: str) -> str:
    """Return a name as names are compared."""
    return " ".join(name.casefold().split())


def add(db: Session, studio_id: int, name: str, role: str, password: str) -> AccountInfo:
    """Add an account.

    Raises
    ------
    ConflictError
        There is one of that name.
    """
    row = AccountRow(
        studio_id=studio_id, name=name, folded=folded(name), role=role, password=password
    )
    db.add(row)
    try:
        db.flush()
    except IntegrityError as error:
        raise ConflictError(
            f"There is an account “{name}” already. Choose another name."
        ) from error
    return _info(row)


def by_name(db: Session, name: str) -> AccountInfo | None:
    """Return the account of a name, if it may still come in."""
    row = db.execute(
        select(AccountRow).where(AccountRow.folded == folded(name), AccountRow.ended_at.is_(None))
    ).scalar_one_or_none()
    return _info(row) if row else None


def get(db: Session, studio_id: int, account_id: int) -> AccountInfo:
    """Return one account of a studio.

    Raises
    ------
    NotFoundError
        There is none, or it was ended.
    """
    row = db.get(AccountRow, account_id)
    if row is None or row.studio_id != studio_id or row.ended_at is not None:
        raise NotFoundError("There is no such account.")
    return _info(row)


def listing(db: Session, studio_id: int) -> list[AccountInfo]:
    """Return a studio's accounts by name."""
    query = select(AccountRow).where(
        AccountRow.studio_id == studio_id, AccountRow.ended_at.is_(None)
    )
    return [_info(row) for row in db.execute(query.order_by(AccountRow.folded)).scalars()]


def count(db: Session, role: str | None = None) -> int:
    """Return how many accounts may come in, of a role or at all."""
    query = select(func.count(AccountRow.id)).where(AccountRow.ended_at.is_(None))
    if role is not None:
        query = query.where(AccountRow.role == role)
    return int(db.execute(query).scalar_one())


def end(db: Session, account_id: int, time: datetime) -> None:
    """End an account, and everywhere it is logged in; its name is free again."""
    row = db.get_one(AccountRow, account_id)
    row.ended_at, row.folded = time, f"{row.folded}\n{row.id}"
    end_logins(db, account_id, time)
    query = update(InvitationRow).where(
        InvitationRow.made_by == account_id, InvitationRow.used_at.is_(None)
    )
    db.execute(query.values(used_at=time))


def set_password(db: Session, account_id: int, password: str) -> None:
    """Keep another password's hash."""
    db.get_one(AccountRow, account_id).password = password


def log_in(db: Session, account_id: int, token_sha256: str, device: str, time: datetime) -> None:
    """Keep that an account is logged in."""
    db.add(LoginRow(account_id=account_id, token_sha256=token_sha256, device=device, seen_at=time))


def logged_in(
    db: Session, token_sha256: str, since: datetime
) -> tuple[AccountInfo, LoginInfo] | None:
    """Return whose login a token is, if it was seen since then and neither has ended."""
    result = db.execute(
        select(AccountRow, LoginRow)
        .join(LoginRow, LoginRow.account_id == AccountRow.id)
        .where(
            LoginRow.token_sha256 == token_sha256,
            LoginRow.ended_at.is_(None),
            AccountRow.ended_at.is_(None),
            LoginRow.seen_at >= since,
        )
    ).one_or_none()
    return (_info(result[0]), _login(result[1])) if result else None


def _login(row: LoginRow) -> LoginInfo:
    return LoginInfo(row.id, row.account_id, row.device, row.created_at, row.seen_at)


def seen(db: Session, login_id: int, time: datetime) -> None:
    """Keep when a login was last used."""
    db.execute(update(LoginRow).where(LoginRow.id == login_id).values(seen_at=time))


def logins(db: Session, account_id: int, since: datetime) -> list[LoginInfo]:
    """Return where an account is logged in, the last used first."""
    query = select(LoginRow).where(
        LoginRow.account_id == account_id, LoginRow.ended_at.is_(None), LoginRow.seen_at >= since
    )
    return [_login(row) for row in db.execute(query.order_by(LoginRow.seen_at.desc())).scalars()]


def end_logins(
    db: Session,
    account_id: int,
    time: datetime,
    *,
    only: int | None = None,
    keep: int | None = None,
) -> int:
    """End an account's logins, only one, or all but one; return how many ended."""
    query = update(LoginRow).where(LoginRow.account_id == account_id, LoginRow.ended_at.is_(None))
    if only is not None:
        query = query.where(LoginRow.id == only)
    if keep is not None:
        query = query.where(LoginRow.id != keep)
    ended: Sequence[int] = (
        db.execute(query.values(ended_at=time).returning(LoginRow.id)).scalars().all()
    )
    return len(ended)


@dataclass(frozen=True, slots=True)
class InvitationInfo:
    """An open invitation: the role it gives, who made it, and until when it holds."""

    id: int
    role: str
    made_by: str
    expires_at: datetime


def invite(
    db: Session, studio_id: int, token_sha256: str, role: str, until: datetime, made_by: int | None
) -> None:
    """Store an invitation and the account that made it."""
    row = InvitationRow(
        studio_id=studio_id,
        token_sha256=token_sha256,
        role=role,
        expires_at=until,
        made_by=made_by,
    )
    db.add(row)


def invitations(db: Session, studio_id: int, time: datetime) -> list[InvitationInfo]:
    """Return a studio's open invitations, the newest first."""
    query = (
        select(InvitationRow, AccountRow.name)
        .outerjoin(AccountRow, AccountRow.id == InvitationRow.made_by)
        .where(
            InvitationRow.studio_id == studio_id,
            InvitationRow.used_at.is_(None),
            InvitationRow.expires_at > time,
        )
    )
    rows = db.execute(query.order_by(InvitationRow.id.desc()))
    return [InvitationInfo(row.id, row.role, name or "", row.expires_at) for row, name in rows]


def revoke(db: Session, studio_id: int, invitation_id: int, time: datetime) -> bool:
    """End an open invitation; return whether there was one."""
    query = update(InvitationRow).where(
        InvitationRow.id == invitation_id,
        InvitationRow.studio_id == studio_id,
        InvitationRow.used_at.is_(None),
    )
    return bool(db.execute(query.values(used_at=time).returning(InvitationRow.id)).all())


def invited(
    db: Session, token_sha256: str, time: datetime, *, lock: bool = False
) -> tuple[int, int, str] | None:
    """Return id, studio and role of an invitation that holds; ``lock`` it until it is used."""
    query = select(InvitationRow).where(
        InvitationRow.token_sha256 == token_sha256,
        InvitationRow.used_at.is_(None),
        InvitationRow.expires_at > time,
    )
    row = db.execute(query.with_for_update() if lock else query).scalar_one_or_none()
    return (row.id, row.studio_id, row.role) if row else None


def used(db: Session, invitation_id: int, time: datetime) -> None:
    """Keep that an invitation was used."""
    db.get_one(InvitationRow, invitation_id).used_at = time


def one_by_one(db: Session, key: str) -> None:
    """Wait for whoever does the same thing, until this transaction ends."""
    db.execute(text("select pg_advisory_xact_lock(hashtext(:key))"), {"key": key})


def attempt(db: Session, key: str, time: datetime, since: datetime, most: int) -> int | None:
    """Keep that a password is tried; return the attempt's id, or None where there were too many.

    It counts as wrong until ``was_right`` says otherwise, so that many tried at once are counted,
    too. Older attempts are forgotten.
    """
    one_by_one(db, key)
    db.execute(delete(LoginAttemptRow).where(LoginAttemptRow.at < since))
    query = select(func.count(LoginAttemptRow.id)).where(LoginAttemptRow.key == key)
    if int(db.execute(query).scalar_one()) >= most:
        return None
    row = LoginAttemptRow(key=key, at=time)
    db.add(row)
    db.flush()
    return row.id


def was_right(db: Session, attempts: Sequence[int]) -> None:
    """Take attempts back: the password was right."""
    db.execute(delete(LoginAttemptRow).where(LoginAttemptRow.id.in_(attempts)))
