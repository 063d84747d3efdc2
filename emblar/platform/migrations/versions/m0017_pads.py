"""Cymbals and pads with their takes, and a picture of a setup."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    current = sa.func.now()
    moment = sa.DateTime(timezone=True)
    op.create_table(
        "pad",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("session_id", sa.Integer, sa.ForeignKey("session.id"), nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("made_of", sa.String, server_default="", nullable=False),
        sa.Column("part", sa.String),
        sa.Column("deleted_at", moment),
        sa.Column("created_at", moment, server_default=current, nullable=False),
        sa.Column("updated_at", moment, server_default=current, nullable=False),
    )
    op.create_index("ix_pad_session_id", "pad", ["session_id"])
    op.add_column("recording", sa.Column("pad_id", sa.Integer, sa.ForeignKey("pad.id")))
    op.add_column("setup", sa.Column("picture_id", sa.Integer, sa.ForeignKey("audio.id")))


def downgrade() -> None:
    # Takes of a pad have nothing left to belong to; as a record's files they would be heard.
    op.execute(
        "delete from correction where recording_id in "
        "(select id from recording where pad_id is not null)"
    )
    op.execute("delete from recording where pad_id is not null")
    op.drop_column("setup", "picture_id")
    op.drop_column("recording", "pad_id")
    op.drop_table("pad")
