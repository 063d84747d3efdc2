"""The tables.

Conventions
-----------
Every table has created and updated times. What a user deletes gets ``deleted_at`` and can be
brought back for 30 days. Results of analysis and planning are JSON documents of ``emblar.formats``.
"""

from datetime import datetime
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    DateTime,
    ForeignKey,
    Index,
    LargeBinary,
    MetaData,
    UniqueConstraint,
    false,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

NAMING = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
    "pk": "pk_%(table_name)s",
}
Timestamp = DateTime(timezone=True)


ROLES = "role in ('owner', 'tech', 'guest')"


class Base(DeclarativeBase):
    """Base of all tables."""

    metadata = MetaData(naming_convention=NAMING)


class Timed:
    """When a row was made and last changed."""

    created_at: Mapped[datetime] = mapped_column(Timestamp, server_default=func.now())
    updated_at: Mapped[datetime] = mapped_column(
        Timestamp, server_default=func.now(), onupdate=func.now()
    )


class StudioRow(Timed, Base):
    """Who owns sessions, drums, heads and parts; one exists from the beginning."""

    __tablename__ = "studio"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]


class SessionRow(Timed, Base):
    """A recording session: one song to sound like one record."""

    __tablename__ = "session"

    id: Mapped[int] = mapped_column(primary_key=True)
    studio_id: Mapped[int] = mapped_column(ForeignKey("studio.id"))
    name: Mapped[str]
    studio: Mapped[str] = mapped_column(server_default="")
    artist: Mapped[str] = mapped_column(server_default="")
    wish: Mapped[str] = mapped_column(server_default="")
    asked: Mapped[dict[str, Any]] = mapped_column(JSONB, server_default="{}")
    downbeat_at: Mapped[datetime | None] = mapped_column(Timestamp)
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class AudioRow(Timed, Base):
    """The bytes of a sound file or of a picture, once per content."""

    __tablename__ = "audio"

    id: Mapped[int] = mapped_column(primary_key=True)
    sha256: Mapped[str] = mapped_column(unique=True)
    media_type: Mapped[str]
    size_bytes: Mapped[int]
    data: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class RecordingRow(Timed, Base):
    """Any sound brought or taken, with its analysis: a record to sound like, a take, taps, hum."""

    __tablename__ = "recording"
    __table_args__ = (
        CheckConstraint(
            "state in ('waiting', 'running', 'done', 'failed', 'cancelled')", name="state"
        ),
        CheckConstraint("purpose in ('record', 'take', 'taps', 'hum')", name="purpose"),
        Index("ix_recording_session_id", "session_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("session.id"))
    audio_id: Mapped[int | None] = mapped_column(ForeignKey("audio.id"))
    filename: Mapped[str]
    kind: Mapped[str]
    state: Mapped[str]
    stage: Mapped[str] = mapped_column(server_default="")
    share: Mapped[float] = mapped_column(server_default="0")
    message: Mapped[str] = mapped_column(server_default="")
    attempts: Mapped[int] = mapped_column(server_default="0")
    analysis: Mapped[dict[str, Any] | None] = mapped_column(JSONB, deferred=True)
    peaks: Mapped[dict[str, Any] | None] = mapped_column(JSONB, deferred=True)
    analysis_version: Mapped[int | None]
    drums_audio_id: Mapped[int | None] = mapped_column(ForeignKey("audio.id"))
    rest_audio_id: Mapped[int | None] = mapped_column(ForeignKey("audio.id"))
    revision: Mapped[int] = mapped_column(server_default="0")
    purpose: Mapped[str] = mapped_column(server_default="record")
    drum_id: Mapped[int | None] = mapped_column(ForeignKey("drum.id"))
    setup_id: Mapped[int | None] = mapped_column(ForeignKey("setup.id"))
    pad_id: Mapped[int | None] = mapped_column(ForeignKey("pad.id"))
    main_id: Mapped[int | None] = mapped_column(ForeignKey("recording.id"))
    voice: Mapped[str | None]
    take_number: Mapped[int | None]
    regions: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, server_default="[]")
    opened_at: Mapped[datetime | None] = mapped_column(Timestamp)
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class CorrectionRow(Timed, Base):
    """A correction of a recording's strokes: an event; undoing one is another."""

    __tablename__ = "correction"
    __table_args__ = (UniqueConstraint("recording_id", "revision"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    recording_id: Mapped[int] = mapped_column(ForeignKey("recording.id"))
    revision: Mapped[int]
    undoes: Mapped[int | None]
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)


class EvidenceRow(Timed, Base):
    """What somebody says of a voice: a value of a quantity, or the gear it was played on."""

    __tablename__ = "evidence"
    __table_args__ = (Index("ix_evidence_session_id", "session_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("session.id"))
    voice: Mapped[str]
    quantity: Mapped[str | None]
    value: Mapped[float | None]
    sd: Mapped[float | None]
    confidence: Mapped[float]
    source: Mapped[str]
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class DrumRow(Timed, Base):
    """A drum of a studio, its own or borrowed; which heads are on it is told by fittings."""

    __tablename__ = "drum"
    __table_args__ = (
        CheckConstraint("kind in ('kick', 'snare', 'tom')", name="kind"),
        Index("ix_drum_studio_id", "studio_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    studio_id: Mapped[int] = mapped_column(ForeignKey("studio.id"))
    name: Mapped[str]
    kind: Mapped[str]
    diameter_in: Mapped[float]
    depth_in: Mapped[float]
    rods: Mapped[int]
    hoop: Mapped[str]
    shell: Mapped[str]
    edge: Mapped[str]
    findings: Mapped[list[str]] = mapped_column(JSONB, server_default="[]")
    shell_hole_in: Mapped[float | None]
    lent_by: Mapped[str] = mapped_column(server_default="")
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class HeadRow(Timed, Base):
    """A head of a studio, on a drum or loose."""

    __tablename__ = "head"

    id: Mapped[int] = mapped_column(primary_key=True)
    studio_id: Mapped[int] = mapped_column(ForeignKey("studio.id"))
    construction: Mapped[str]
    diameter_in: Mapped[float]
    condition: Mapped[str] = mapped_column(server_default="used")
    hole_in: Mapped[float | None]
    strokes: Mapped[int] = mapped_column(server_default="0")
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class FittingRow(Timed, Base):
    """A head on one side of a drum, from when until when; without an end it is on it now."""

    __tablename__ = "fitting"
    __table_args__ = (
        CheckConstraint("side in ('batter', 'reso')", name="side"),
        Index(
            "uq_fitting_drum",
            "drum_id",
            "side",
            unique=True,
            postgresql_where=text("removed_at is null"),
        ),
        Index(
            "uq_fitting_head", "head_id", unique=True, postgresql_where=text("removed_at is null")
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    head_id: Mapped[int] = mapped_column(ForeignKey("head.id"))
    drum_id: Mapped[int] = mapped_column(ForeignKey("drum.id"))
    side: Mapped[str]
    fitted_at: Mapped[datetime | None] = mapped_column(Timestamp)
    removed_at: Mapped[datetime | None] = mapped_column(Timestamp)


class KitSlotRow(Timed, Base):
    """A drum in a session's kit: its place, the part of the record it plays, what was asked."""

    __tablename__ = "kit_slot"
    __table_args__ = (
        Index("ix_kit_slot_session_id", "session_id"),
        Index("ix_kit_slot_drum_id", "drum_id"),
        Index(
            "uq_kit_slot_drum",
            "session_id",
            "drum_id",
            unique=True,
            postgresql_where=text("deleted_at is null"),
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("session.id"))
    drum_id: Mapped[int] = mapped_column(ForeignKey("drum.id"))
    position: Mapped[int | None]
    stand: Mapped[str | None]
    part: Mapped[str | None]
    also: Mapped[bool] = mapped_column(server_default=false())
    wish: Mapped[dict[str, Any]] = mapped_column(JSONB, server_default="{}")
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class SavedKitRow(Timed, Base):
    """A kit kept by name: the drums in their order."""

    __tablename__ = "saved_kit"

    id: Mapped[int] = mapped_column(primary_key=True)
    studio_id: Mapped[int] = mapped_column(ForeignKey("studio.id"))
    name: Mapped[str]
    drums: Mapped[list[int]] = mapped_column(JSONB)
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class SetupRow(Timed, Base):
    """What a drum was like at one time; never changed, the next one has it as its parent."""

    __tablename__ = "setup"
    __table_args__ = (Index("ix_setup_drum_id", "drum_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    drum_id: Mapped[int] = mapped_column(ForeignKey("drum.id"))
    session_id: Mapped[int | None] = mapped_column(ForeignKey("session.id"))
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("setup.id"))
    origin: Mapped[str]
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    note: Mapped[str] = mapped_column(server_default="")
    picture_id: Mapped[int | None] = mapped_column(ForeignKey("audio.id"))
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class PadRow(Timed, Base):
    """What is hit besides the planned drums: a cymbal, a stack, a drum with something laid on."""

    __tablename__ = "pad"
    __table_args__ = (Index("ix_pad_session_id", "session_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("session.id"))
    name: Mapped[str]
    made_of: Mapped[str] = mapped_column(server_default="")
    part: Mapped[str | None]
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class BenchRow(Timed, Base):
    """How far the work on a drum is in a session: jobs done, turns under way."""

    __tablename__ = "bench"
    __table_args__ = (UniqueConstraint("session_id", "drum_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("session.id"))
    drum_id: Mapped[int] = mapped_column(ForeignKey("drum.id"))
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)


class PracticeRow(Timed, Base):
    """A practice drum under way or done, or an answer to an ear exercise."""

    __tablename__ = "practice"
    __table_args__ = (Index("ix_practice_studio_id", "studio_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    studio_id: Mapped[int] = mapped_column(ForeignKey("studio.id"))
    kind: Mapped[str]
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)


class MeasurementRow(Timed, Base):
    """A pitch read on a drum as it was set up: at one rod of one side, or the drum's."""

    __tablename__ = "measurement"
    __table_args__ = (
        CheckConstraint("what in ('lug', 'drum')", name="what"),
        CheckConstraint("side in ('batter', 'reso')", name="side"),
        Index("ix_measurement_setup_id", "setup_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    setup_id: Mapped[int] = mapped_column(ForeignKey("setup.id"))
    what: Mapped[str]
    side: Mapped[str | None]
    rod: Mapped[int | None]
    hz: Mapped[float]
    sd_hz: Mapped[float]
    how: Mapped[str]
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class PlanRow(Timed, Base):
    """One version of the plan for a session's kit."""

    __tablename__ = "plan"
    __table_args__ = (UniqueConstraint("session_id", "version"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("session.id"))
    version: Mapped[int]
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    says: Mapped[str] = mapped_column(server_default="")
    restores: Mapped[int | None]
    inputs: Mapped[dict[str, str]] = mapped_column(JSONB, server_default="{}")


class OwnPartRow(Timed, Base):
    """A part that a user added to the catalogue: which table of it, and the row."""

    __tablename__ = "own_part"

    id: Mapped[int] = mapped_column(primary_key=True)
    studio_id: Mapped[int] = mapped_column(ForeignKey("studio.id"))
    part: Mapped[str]
    row: Mapped[dict[str, Any]] = mapped_column(JSONB)
    deleted_at: Mapped[datetime | None] = mapped_column(Timestamp)


class ShareRow(Timed, Base):
    """A link by which somebody without access sees parts of a session, until it expires."""

    __tablename__ = "share"
    __table_args__ = (Index("ix_share_session_id", "session_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("session.id"))
    token_sha256: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    parts: Mapped[list[str]] = mapped_column(JSONB)
    expires_at: Mapped[datetime] = mapped_column(Timestamp)
    revoked_at: Mapped[datetime | None] = mapped_column(Timestamp)
    opened: Mapped[int] = mapped_column(server_default="0")


class CommentRow(Timed, Base):
    """What somebody said of a drum: in words, and as a wish if it is one.

    ``share_id`` is the link it came through; None of somebody with an account.
    """

    __tablename__ = "comment"
    __table_args__ = (
        CheckConstraint("state in ('new', 'accepted', 'set aside')", name="state"),
        Index("ix_comment_share_id", "share_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    share_id: Mapped[int | None] = mapped_column(ForeignKey("share.id"))
    slot_id: Mapped[int] = mapped_column(ForeignKey("kit_slot.id"))
    who: Mapped[str]
    said: Mapped[str]
    quantity: Mapped[str | None]
    steps: Mapped[float | None]
    state: Mapped[str] = mapped_column(server_default="new")


class AccountRow(Timed, Base):
    """Somebody who may come in with a password; ``folded`` is the name as it is compared."""

    __tablename__ = "account"
    __table_args__ = (CheckConstraint(ROLES, name="role"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    studio_id: Mapped[int] = mapped_column(ForeignKey("studio.id"))
    name: Mapped[str]
    folded: Mapped[str] = mapped_column(unique=True)
    role: Mapped[str]
    password: Mapped[str]
    """Argon2id, with its own salt and cost."""
    ended_at: Mapped[datetime | None] = mapped_column(Timestamp)


class LoginRow(Timed, Base):
    """A browser in which an account is logged in."""

    __tablename__ = "login"
    __table_args__ = (Index("ix_login_account_id", "account_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id"))
    token_sha256: Mapped[str] = mapped_column(unique=True)
    device: Mapped[str]
    seen_at: Mapped[datetime] = mapped_column(Timestamp)
    ended_at: Mapped[datetime | None] = mapped_column(Timestamp)


class InvitationRow(Timed, Base):
    """A link by which somebody makes an account of their own, once."""

    __tablename__ = "invitation"
    __table_args__ = (CheckConstraint(ROLES, name="role"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    studio_id: Mapped[int] = mapped_column(ForeignKey("studio.id"))
    token_sha256: Mapped[str] = mapped_column(unique=True)
    role: Mapped[str]
    expires_at: Mapped[datetime] = mapped_column(Timestamp)
    used_at: Mapped[datetime | None] = mapped_column(Timestamp)
    made_by: Mapped[int | None] = mapped_column(ForeignKey("account.id"))
    """The account that made it: it ends with it."""


class LoginAttemptRow(Base):
    """A password that was wrong, by whose name from where."""

    __tablename__ = "login_attempt"
    __table_args__ = (Index("ix_login_attempt_key", "key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str]
    at: Mapped[datetime] = mapped_column(Timestamp)


class SubmissionRow(Base):
    """A form that was sent, by what it held, and the answer it got."""

    __tablename__ = "submission"

    key: Mapped[str] = mapped_column(primary_key=True)
    answer: Mapped[str] = mapped_column(server_default="")
    created_at: Mapped[datetime] = mapped_column(Timestamp, server_default=func.now())
