"""Which file of a record was opened last: its strokes are the ones that are shown."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("recording", sa.Column("opened_at", sa.DateTime(timezone=True)))


def downgrade() -> None:
    op.drop_column("recording", "opened_at")
