"""Accounts of a studio, where they are logged in, and invitations."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
ROLES = "role in ('owner', 'tech', 'guest')"


def _times() -> tuple[sa.Column[object], ...]:
    current = sa.func.now()
    return tuple(
        sa.Column(name, sa.DateTime(timezone=True), server_default=current, nullable=False)
        for name in ("created_at", "updated_at")
    )


def upgrade() -> None:
    moment = sa.DateTime(timezone=True)
    op.create_table(
        "account",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("studio_id", sa.Integer, sa.ForeignKey("studio.id"), nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("folded", sa.String, nullable=False, unique=True),
        sa.Column("role", sa.String, nullable=False),
        sa.Column("password", sa.String, nullable=False),
        sa.Column("ended_at", moment),
        *_times(),
        sa.CheckConstraint(ROLES, name=op.f("ck_account_role")),
    )
    op.create_table(
        "login",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id"), nullable=False),
        sa.Column("token_sha256", sa.String, nullable=False, unique=True),
        sa.Column("device", sa.String, nullable=False),
        sa.Column("seen_at", moment, nullable=False),
        sa.Column("ended_at", moment),
        *_times(),
    )
    op.create_index("ix_login_account_id", "login", ["account_id"])
    op.create_table(
        "invitation",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("studio_id", sa.Integer, sa.ForeignKey("studio.id"), nullable=False),
        sa.Column("token_sha256", sa.String, nullable=False, unique=True),
        sa.Column("role", sa.String, nullable=False),
        sa.Column("expires_at", moment, nullable=False),
        sa.Column("used_at", moment),
        *_times(),
        sa.CheckConstraint(ROLES, name=op.f("ck_invitation_role")),
    )
    op.create_table(
        "login_attempt",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("key", sa.String, nullable=False),
        sa.Column("at", moment, nullable=False),
    )
    op.create_index("ix_login_attempt_key", "login_attempt", ["key"])


def downgrade() -> None:
    for table in ("login_attempt", "invitation", "login", "account"):
        op.drop_table(table)
