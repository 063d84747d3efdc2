"""What is asked of a session's plan: style, tempo, what may be bought or cut."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("session", sa.Column("asked", JSONB, server_default="{}", nullable=False))


def downgrade() -> None:
    op.drop_column("session", "asked")
