"""Drums: the shape of their edges, and what an inspection found."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.add_column("drum", sa.Column("edge", sa.String, nullable=False, server_default="double-cut"))
    op.add_column("drum", sa.Column("findings", JSONB, nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("drum", "findings")
    op.drop_column("drum", "edge")
