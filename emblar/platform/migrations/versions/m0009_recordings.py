"""Recordings of every purpose; corrections as events with the revision they make."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0009"
down_revision = "0008"

STAMP = sa.DateTime(timezone=True)


def _renamed(old: str, new: str) -> None:
    """Rename the table with its index, sequence and constraints, and what jobs call it."""
    op.rename_table(old, new)
    op.execute(f"alter index ix_{old}_session_id rename to ix_{new}_session_id")
    op.execute(f"alter sequence {old}_id_seq rename to {new}_id_seq")
    op.execute(
        "do $$ declare c record; begin for c in select conname from pg_constraint"
        f" where conrelid = '{new}'::regclass and conname like '%{old}%' loop"
        f" execute format('alter table {new} rename constraint %I to %I', c.conname,"
        f" replace(c.conname, '{old}', '{new}')); end loop; end $$"
    )
    op.execute(
        f"update procrastinate_jobs set task_name = 'analyse_{new}',"
        f" args = jsonb_build_object('{new}_id', args -> '{old}_id')"
        f" where task_name = 'analyse_{old}'"
    )


def upgrade() -> None:
    _renamed("reference", "recording")
    op.add_column(
        "recording", sa.Column("purpose", sa.String, server_default="record", nullable=False)
    )
    op.add_column("recording", sa.Column("drum_id", sa.Integer, sa.ForeignKey("drum.id")))
    op.add_column("recording", sa.Column("setup_id", sa.Integer, sa.ForeignKey("setup.id")))
    op.add_column(
        "recording", sa.Column("revision", sa.Integer, server_default="0", nullable=False)
    )
    op.create_check_constraint(
        "purpose", "recording", "purpose in ('record', 'take', 'taps', 'hum')"
    )
    op.create_table(
        "correction",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("recording_id", sa.Integer, sa.ForeignKey("recording.id"), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("undoes", sa.Integer),
        sa.Column("document", JSONB, nullable=False),
        *(
            sa.Column(name, STAMP, server_default=sa.func.now(), nullable=False)
            for name in ("created_at", "updated_at")
        ),
        sa.UniqueConstraint("recording_id", "revision"),
    )
    op.execute(
        "insert into correction (recording_id, revision, document)"
        " select r.id, e.n, e.edit from recording r,"
        " jsonb_array_elements(r.edits) with ordinality as e (edit, n)"
    )
    op.execute("update recording set revision = jsonb_array_length(edits)")
    op.drop_column("recording", "edits")


def downgrade() -> None:
    op.add_column("recording", sa.Column("edits", JSONB, server_default="[]", nullable=False))
    op.execute(
        "update recording r set edits = coalesce((select jsonb_agg(c.document order by c.revision)"
        " from correction c where c.recording_id = r.id and c.undoes is null and not exists"
        " (select 1 from correction u where u.recording_id = r.id and u.undoes = c.revision)),"
        " '[]')"
    )
    op.drop_table("correction")
    op.drop_constraint("purpose", "recording", type_="check")
    for name in ("purpose", "drum_id", "setup_id", "revision"):
        op.drop_column("recording", name)
    _renamed("recording", "reference")
