"""What was sent once; fastest figures that nobody entered are none."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"

FIGURES = ("kick_notes_per_beat", "tom_notes_per_beat")


def upgrade() -> None:
    op.create_table(
        "submission",
        sa.Column("key", sa.String, primary_key=True),
        sa.Column("answer", sa.String, nullable=False, server_default=""),
        sa.Column(
            "created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()
        ),
    )
    # Until now 2 a beat stood there when nobody had said anything.
    for name in FIGURES:
        op.execute(
            f"update session set asked = jsonb_set(asked, '{{{name}}}', 'null')"
            f" where asked ->> '{name}' in ('2', '2.0')"
        )


def downgrade() -> None:
    for name in FIGURES:
        op.execute(
            f"update session set asked = jsonb_set(asked, '{{{name}}}', '2.0')"
            f" where asked ? '{name}' and asked ->> '{name}' is null"
        )
    op.drop_table("submission")
