"""Drums and heads that outlive a session: a studio owns them, a session's kit slots point to them.

Setups are what a drum was like at one time; measurements belong to them.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0008"
down_revision = "0007"

STAMP = sa.DateTime(timezone=True)


def _times() -> list[sa.Column]:
    return [
        sa.Column(name, STAMP, server_default=sa.func.now(), nullable=False)
        for name in ("created_at", "updated_at")
    ]


def _id() -> sa.Column:
    return sa.Column("id", sa.Integer, sa.Identity(), primary_key=True)


def _to(table: str, *, column: str = "", required: bool = True) -> sa.Column:
    return sa.Column(
        column or f"{table}_id", sa.Integer, sa.ForeignKey(f"{table}.id"), nullable=not required
    )


def upgrade() -> None:
    op.create_table("studio", _id(), sa.Column("name", sa.String, nullable=False), *_times())
    op.execute("insert into studio (name) values ('')")
    for table in ("session", "own_part", "drum"):
        op.add_column(table, _to("studio", required=False))
        op.execute(f"update {table} set studio_id = 1")
        op.alter_column(table, "studio_id", nullable=False)
    _kit_slots()
    _heads()
    _setups()
    op.create_table(
        "saved_kit",
        _id(),
        _to("studio"),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("drums", JSONB, nullable=False),
        sa.Column("deleted_at", STAMP),
        *_times(),
    )


def _kit_slots() -> None:
    op.create_table(
        "kit_slot",
        _id(),
        _to("session"),
        _to("drum"),
        sa.Column("position", sa.Integer),
        sa.Column("stand", sa.String),
        sa.Column("part", sa.String),
        sa.Column("also", sa.Boolean, server_default=sa.false(), nullable=False),
        sa.Column("wish", JSONB, server_default="{}", nullable=False),
        sa.Column("deleted_at", STAMP),
        *_times(),
    )
    # A slot keeps the id its drum had, so that plans and addresses still find it.
    op.execute(
        "insert into kit_slot (id, session_id, drum_id, part, wish, deleted_at, created_at,"
        " updated_at) overriding system value"
        " select id, session_id, id, voice, wish, deleted_at, created_at, updated_at from drum"
    )
    _count_on("kit_slot")
    op.create_index("ix_kit_slot_session_id", "kit_slot", ["session_id"])
    op.create_index("ix_kit_slot_drum_id", "kit_slot", ["drum_id"])
    op.create_index(
        "uq_kit_slot_drum",
        "kit_slot",
        ["session_id", "drum_id"],
        unique=True,
        postgresql_where=sa.text("deleted_at is null"),
    )
    op.drop_index("ix_drum_session_id", "drum")
    for name in ("session_id", "voice", "wish", "deleted_at"):
        op.drop_column("drum", name)
    op.add_column("drum", sa.Column("lent_by", sa.String, server_default="", nullable=False))
    op.add_column("drum", sa.Column("deleted_at", STAMP))
    op.create_index("ix_drum_studio_id", "drum", ["studio_id"])


def _heads() -> None:
    op.create_table(
        "head",
        _id(),
        _to("studio"),
        sa.Column("construction", sa.String, nullable=False),
        sa.Column("diameter_in", sa.Float, nullable=False),
        sa.Column("condition", sa.String, server_default="used", nullable=False),
        sa.Column("hole_in", sa.Float),
        sa.Column("strokes", sa.Integer, server_default="0", nullable=False),
        sa.Column("deleted_at", STAMP),
        *_times(),
    )
    op.create_table(
        "fitting",
        _id(),
        _to("head"),
        _to("drum"),
        sa.Column("side", sa.String, nullable=False),
        sa.Column("fitted_at", STAMP),
        sa.Column("removed_at", STAMP),
        *_times(),
        sa.CheckConstraint("side in ('batter', 'reso')", name="side"),
    )
    for name, columns in (("drum", ["drum_id", "side"]), ("head", ["head_id"])):
        op.create_index(
            f"uq_fitting_{name}",
            "fitting",
            columns,
            unique=True,
            postgresql_where=sa.text("removed_at is null"),
        )
    for side, hole in (("batter", "null"), ("reso", "port_in")):
        op.execute(
            "with fitted as (insert into head (studio_id, construction, diameter_in, hole_in,"
            " created_at, updated_at)"
            f" select 1, {side}, diameter_in, {hole}, created_at, updated_at from drum"
            f" where {side} is not null order by id returning id),"
            " numbered as (select id, row_number() over (order by id) as n from fitted),"
            " drums as (select id, row_number() over (order by id) as n from drum"
            f" where {side} is not null)"
            " insert into fitting (head_id, drum_id, side)"
            f" select numbered.id, drums.id, '{side}' from numbered join drums using (n)"
        )
    op.execute(
        "insert into head (studio_id, construction, diameter_in, condition, deleted_at,"
        " created_at, updated_at)"
        " select 1, construction, diameter_in, condition, deleted_at, created_at, updated_at"
        " from shelf_head, generate_series(1, count) order by shelf_head.id"
    )
    op.drop_table("shelf_head")
    for name in ("batter", "reso", "port_in"):
        op.drop_column("drum", name)


def _setups() -> None:
    op.create_table(
        "setup",
        _id(),
        _to("drum"),
        _to("session", required=False),
        _to("setup", column="parent_id", required=False),
        sa.Column("origin", sa.String, nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("note", sa.String, server_default="", nullable=False),
        *_times(),
    )
    op.create_index("ix_setup_drum_id", "setup", ["drum_id"])
    op.create_table(
        "measurement",
        _id(),
        _to("setup"),
        sa.Column("what", sa.String, nullable=False),
        sa.Column("side", sa.String),
        sa.Column("rod", sa.Integer),
        sa.Column("hz", sa.Float, nullable=False),
        sa.Column("sd_hz", sa.Float, nullable=False),
        sa.Column("how", sa.String, nullable=False),
        sa.Column("deleted_at", STAMP),
        *_times(),
        sa.CheckConstraint("what in ('lug', 'drum')", name="what"),
        sa.CheckConstraint("side in ('batter', 'reso')", name="side"),
    )
    op.create_index("ix_measurement_setup_id", "measurement", ["setup_id"])


def _count_on(table: str) -> None:
    op.execute(
        f"select setval(pg_get_serial_sequence('{table}', 'id'),"
        f" coalesce((select max(id) from {table}), 0) + 1, false)"
    )


def downgrade() -> None:
    for table in ("saved_kit", "measurement", "setup"):
        op.drop_table(table)
    op.create_table(
        "old_drum",
        _id(),
        _to("session"),
        *(sa.Column(n, sa.String, nullable=False) for n in ("name", "kind", "hoop", "shell")),
        *(sa.Column(n, sa.Float, nullable=False) for n in ("diameter_in", "depth_in")),
        sa.Column("rods", sa.Integer, nullable=False),
        sa.Column("batter", sa.String, nullable=False),
        sa.Column("reso", sa.String),
        sa.Column("port_in", sa.Float),
        sa.Column("voice", sa.String),
        sa.Column("wish", JSONB, server_default="{}", nullable=False),
        sa.Column("edge", sa.String, nullable=False, server_default="double-cut"),
        sa.Column("findings", JSONB, nullable=False, server_default="[]"),
        sa.Column("deleted_at", STAMP),
        *_times(),
    )
    # A drum that is in two sessions becomes two again; one that is in none is lost.
    op.execute(
        "insert into old_drum (id, session_id, name, kind, hoop, shell, diameter_in, depth_in,"
        " rods, batter, reso, port_in, voice, wish, edge, findings, deleted_at, created_at,"
        " updated_at) overriding system value"
        " select s.id, s.session_id, d.name, d.kind, d.hoop, d.shell, d.diameter_in, d.depth_in,"
        " d.rods, b.construction, r.construction, r.hole_in, s.part, s.wish, d.edge, d.findings,"
        " s.deleted_at, s.created_at, s.updated_at"
        " from kit_slot s join drum d on d.id = s.drum_id"
        + "".join(
            f" {join} join (select f.drum_id, h.construction, h.hole_in from fitting f"
            f" join head h on h.id = f.head_id where f.side = '{side}' and f.removed_at is null)"
            f" {name} on {name}.drum_id = d.id"
            for join, side, name in (("", "batter", "b"), ("left", "reso", "r"))
        )
        + " order by s.id"
    )
    op.create_table(
        "shelf_head",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("construction", sa.String, nullable=False),
        sa.Column("diameter_in", sa.Float, nullable=False),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("condition", sa.String, nullable=False),
        sa.Column("deleted_at", STAMP),
        *_times(),
    )
    op.execute(
        "insert into shelf_head (construction, diameter_in, count, condition, deleted_at)"
        " select construction, diameter_in, count(*), condition, deleted_at from head"
        " where not exists (select 1 from fitting f where f.head_id = head.id)"
        " group by construction, diameter_in, condition, deleted_at order by min(id)"
    )
    for table in ("fitting", "head", "kit_slot", "drum"):
        op.drop_table(table)
    op.rename_table("old_drum", "drum")
    op.execute("alter sequence old_drum_id_seq rename to drum_id_seq")
    for old, new in (
        ("pk_old_drum", "pk_drum"),
        ("fk_old_drum_session_id_session", "fk_drum_session_id_session"),
    ):
        op.execute(f"alter table drum rename constraint {old} to {new}")
    op.create_check_constraint("ck_drum_kind", "drum", "kind in ('kick', 'snare', 'tom')")
    op.create_index("ix_drum_session_id", "drum", ["session_id"])
    _count_on("drum")
    for table in ("own_part", "session"):
        op.drop_column(table, "studio_id")
    op.drop_table("studio")
