"""A reference's corrections, kept so that they can be taken back; its drums and drumless rest."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("reference", sa.Column("edits", JSONB, server_default="[]", nullable=False))
    for name in ("drums_audio_id", "rest_audio_id"):
        op.add_column("reference", sa.Column(name, sa.Integer, sa.ForeignKey("audio.id")))


def downgrade() -> None:
    for name in ("edits", "drums_audio_id", "rest_audio_id"):
        op.drop_column("reference", name)
