"""Practice drums and answers to ear exercises."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.create_table(
        "practice",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("studio_id", sa.Integer, sa.ForeignKey("studio.id"), nullable=False),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column(
            "created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
        ),
        sa.Column(
            "updated_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
        ),
    )
    op.create_index("ix_practice_studio_id", "practice", ["studio_id"])


def downgrade() -> None:
    op.drop_table("practice")
