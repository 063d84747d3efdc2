"""An invitation ends with the account that made it."""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"


def upgrade() -> None:
    op.add_column("invitation", sa.Column("made_by", sa.Integer, nullable=True))
    op.create_foreign_key(
        "fk_invitation_made_by_account", "invitation", "account", ["made_by"], ["id"]
    )
    # Whose an older invitation was is not known, so it cannot end with its maker.
    op.execute("update invitation set used_at = now() where used_at is null")


def downgrade() -> None:
    op.drop_constraint("fk_invitation_made_by_account", "invitation", type_="foreignkey")
    op.drop_column("invitation", "made_by")
