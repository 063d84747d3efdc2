"""A hole in a kick's shell."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.add_column("drum", sa.Column("shell_hole_in", sa.Float))


def downgrade() -> None:
    op.drop_column("drum", "shell_hole_in")
