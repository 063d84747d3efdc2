"""Plan versions: what changed, which one they bring back, and what they were planned from."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.add_column("plan", sa.Column("says", sa.String, server_default="", nullable=False))
    op.add_column("plan", sa.Column("restores", sa.Integer))
    op.add_column("plan", sa.Column("inputs", JSONB, server_default="{}", nullable=False))


def downgrade() -> None:
    for name in ("says", "restores", "inputs"):
        op.drop_column("plan", name)
