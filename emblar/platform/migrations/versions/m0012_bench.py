"""How far the work on a drum is in a session, and setups that can be taken back."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.create_table(
        "bench",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("session_id", sa.Integer, sa.ForeignKey("session.id"), nullable=False),
        sa.Column("drum_id", sa.Integer, sa.ForeignKey("drum.id"), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column(
            "created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
        ),
        sa.Column(
            "updated_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
        ),
        sa.UniqueConstraint("session_id", "drum_id", name="uq_bench_session_id"),
    )
    op.add_column("setup", sa.Column("deleted_at", sa.DateTime(timezone=True)))


def downgrade() -> None:
    op.drop_column("setup", "deleted_at")
    op.drop_table("bench")
