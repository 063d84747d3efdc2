"""A take keeps its number after earlier ones have been deleted for good."""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    op.add_column("recording", sa.Column("take_number", sa.Integer, nullable=True))
    op.execute(
        "update recording set take_number = counted.number from ("
        "select id, row_number() over (partition by session_id, drum_id, pad_id order by id) "
        "as number from recording where purpose = 'take') as counted "
        "where recording.id = counted.id"
    )


def downgrade() -> None:
    op.drop_column("recording", "take_number")
