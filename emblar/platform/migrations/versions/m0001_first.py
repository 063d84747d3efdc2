"""First tables: sessions, audio, references, drums, plans, and the job queue."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None


def _times() -> list[sa.Column]:
    stamp = sa.DateTime(timezone=True)
    return [
        sa.Column("created_at", stamp, server_default=sa.func.now(), nullable=False),
        sa.Column("updated_at", stamp, server_default=sa.func.now(), nullable=False),
    ]


def _deleted() -> sa.Column:
    return sa.Column("deleted_at", sa.DateTime(timezone=True))


def upgrade() -> None:
    op.create_table(
        "session",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("studio", sa.String, server_default="", nullable=False),
        sa.Column("artist", sa.String, server_default="", nullable=False),
        sa.Column("wish", sa.String, server_default="", nullable=False),
        sa.Column("downbeat_at", sa.DateTime(timezone=True)),
        _deleted(),
        *_times(),
    )
    op.create_table(
        "audio",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("sha256", sa.String, nullable=False, unique=True),
        sa.Column("media_type", sa.String, nullable=False),
        sa.Column("size_bytes", sa.Integer, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
        *_times(),
    )
    # The bytes are compressed sound already; stored plainly, ranges are read without the rest.
    op.execute("alter table audio alter column data set storage external")
    op.create_table(
        "reference",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("session_id", sa.Integer, sa.ForeignKey("session.id"), nullable=False),
        sa.Column("audio_id", sa.Integer, sa.ForeignKey("audio.id")),
        sa.Column("filename", sa.String, nullable=False),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("state", sa.String, nullable=False),
        sa.Column("stage", sa.String, server_default="", nullable=False),
        sa.Column("share", sa.Float, server_default="0", nullable=False),
        sa.Column("message", sa.String, server_default="", nullable=False),
        sa.Column("attempts", sa.Integer, server_default="0", nullable=False),
        sa.Column("analysis", JSONB),
        sa.Column("peaks", JSONB),
        sa.Column("analysis_version", sa.Integer),
        _deleted(),
        *_times(),
        sa.CheckConstraint(
            "state in ('waiting', 'running', 'done', 'failed', 'cancelled')",
            name="ck_reference_state",
        ),
    )
    op.create_index("ix_reference_session_id", "reference", ["session_id"])
    op.create_table(
        "drum",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("session_id", sa.Integer, sa.ForeignKey("session.id"), nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("diameter_in", sa.Float, nullable=False),
        sa.Column("depth_in", sa.Float, nullable=False),
        sa.Column("rods", sa.Integer, nullable=False),
        sa.Column("hoop", sa.String, nullable=False),
        sa.Column("shell", sa.String, nullable=False),
        sa.Column("batter", sa.String, nullable=False),
        sa.Column("reso", sa.String),
        sa.Column("port_in", sa.Float),
        sa.Column("voice", sa.String),
        sa.Column("wish", JSONB, server_default="{}", nullable=False),
        _deleted(),
        *_times(),
        sa.CheckConstraint("kind in ('kick', 'snare', 'tom')", name="ck_drum_kind"),
    )
    op.create_index("ix_drum_session_id", "drum", ["session_id"])
    op.create_table(
        "plan",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("session_id", sa.Integer, sa.ForeignKey("session.id"), nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("document", JSONB, nullable=False),
        *_times(),
        sa.UniqueConstraint("session_id", "version", name="uq_plan_session_id"),
    )
    # The driver takes several statements at once only without parameters, as here.
    op.get_bind().connection.cursor().execute(SchemaManager.get_schema())


def downgrade() -> None:
    for table in ("plan", "drum", "reference", "audio", "session"):
        op.drop_table(table)
    # The job queue is all named alike and holds nothing a user made.
    op.execute(
        """
        do $$ declare thing record; begin
          for thing in select format('%I', tablename) as name from pg_tables
            where schemaname = 'public' and tablename like 'procrastinate\\_%' loop
            execute 'drop table if exists ' || thing.name || ' cascade'; end loop;
          for thing in select oid::regprocedure as name from pg_proc
            where proname like 'procrastinate\\_%' loop
            execute 'drop function if exists ' || thing.name || ' cascade'; end loop;
          for thing in select format('%I', typname) as name from pg_type
            where typname like 'procrastinate\\_%' and typtype in ('e', 'c') loop
            execute 'drop type if exists ' || thing.name || ' cascade'; end loop;
        end $$
        """
    )
