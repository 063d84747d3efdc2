"""Links to show a session by, and what is said through them."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0015"
down_revision = "0014"


def _times() -> tuple[sa.Column[object], ...]:
    current = sa.func.now()
    return tuple(
        sa.Column(name, sa.DateTime(timezone=True), server_default=current, nullable=False)
        for name in ("created_at", "updated_at")
    )


def upgrade() -> None:
    op.create_table(
        "share",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("session_id", sa.Integer, sa.ForeignKey("session.id"), nullable=False),
        sa.Column("token_sha256", sa.String, nullable=False, unique=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("parts", JSONB, nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("revoked_at", sa.DateTime(timezone=True)),
        sa.Column("opened", sa.Integer, server_default="0", nullable=False),
        *_times(),
    )
    op.create_index("ix_share_session_id", "share", ["session_id"])
    op.create_table(
        "comment",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("share_id", sa.Integer, sa.ForeignKey("share.id"), nullable=False),
        sa.Column("slot_id", sa.Integer, sa.ForeignKey("kit_slot.id"), nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("said", sa.String, nullable=False),
        sa.Column("quantity", sa.String),
        sa.Column("steps", sa.Float),
        sa.Column("state", sa.String, server_default="new", nullable=False),
        *_times(),
        sa.CheckConstraint(
            "state in ('new', 'accepted', 'set aside')", name=op.f("ck_comment_state")
        ),
    )
    op.create_index("ix_comment_share_id", "comment", ["share_id"])


def downgrade() -> None:
    op.drop_table("comment")
    op.drop_table("share")
