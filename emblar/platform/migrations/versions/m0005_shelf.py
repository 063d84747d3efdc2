"""The shelf: loose heads, and parts of the catalogue that users add."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0005"
down_revision = "0004"


def _timed() -> list[sa.Column]:
    return [
        sa.Column(name, sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False)
        for name in ("created_at", "updated_at")
    ]


def upgrade() -> None:
    op.create_table(
        "shelf_head",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("construction", sa.String, nullable=False),
        sa.Column("diameter_in", sa.Float, nullable=False),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("condition", sa.String, nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True)),
        *_timed(),
    )
    op.create_table(
        "own_part",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("part", sa.String, nullable=False),
        sa.Column("row", JSONB, nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True)),
        *_timed(),
    )


def downgrade() -> None:
    op.drop_table("own_part")
    op.drop_table("shelf_head")
