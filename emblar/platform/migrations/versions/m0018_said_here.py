"""What somebody with an account said of a drum needs no link."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    op.alter_column("comment", "share_id", existing_type=sa.Integer, nullable=True)


def downgrade() -> None:
    op.execute("delete from comment where share_id is null")
    op.alter_column("comment", "share_id", existing_type=sa.Integer, nullable=False)
