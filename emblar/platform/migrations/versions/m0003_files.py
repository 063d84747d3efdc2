"""Several files of one record, named regions of it, evidence given by hand."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("reference", sa.Column("main_id", sa.Integer, sa.ForeignKey("reference.id")))
    op.add_column("reference", sa.Column("voice", sa.String))
    op.add_column("reference", sa.Column("regions", JSONB, server_default="[]", nullable=False))
    op.create_table(
        "evidence",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("session_id", sa.Integer, sa.ForeignKey("session.id"), nullable=False),
        sa.Column("voice", sa.String, nullable=False),
        sa.Column("quantity", sa.String),
        sa.Column("value", sa.Float),
        sa.Column("sd", sa.Float),
        sa.Column("confidence", sa.Float, nullable=False),
        sa.Column("source", sa.String, nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True)),
        sa.Column(
            "created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
        ),
        sa.Column(
            "updated_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
        ),
    )
    op.create_index("ix_evidence_session_id", "evidence", ["session_id"])


def downgrade() -> None:
    op.drop_table("evidence")
    for name in ("main_id", "voice", "regions"):
        op.drop_column("reference", name)
