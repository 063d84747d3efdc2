"""What Log shows: every drum with what was last read on it, and one drum over time."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime

from markupsafe import Markup

from emblar.core.acoustics.drum import Side
from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import Catalogue
from emblar.core.naming import counted
from emblar.core.notes import note_text
from emblar.core.tuning.muffling import LearnedDamper
from emblar.frame.drawing.history import Point, history
from emblar.platform.own_parts import LEAST_STROKES
from emblar.steps.log.actions.entries import DrumLog, Round
from emblar.steps.sessions.actions.export import ImportSummary

MOST_DRAWN = 24
SIDES: tuple[Side, ...] = ("batter", "reso")


@dataclass(frozen=True, slots=True)
class LogRow:
    """A drum in the list."""

    id: int
    name: str
    size: str
    last: str
    read: str
    counts: str
    due: str


@dataclass(frozen=True, slots=True)
class LogPage:
    """The list of drums, and what was searched for."""

    rows: tuple[LogRow, ...]
    words: str
    imported: str = ""
    """What an import has just brought."""
    dampers: tuple[str, ...] = ()
    """What strokes before and after told of dampers."""


@dataclass(frozen=True, slots=True)
class DrumLogPage:
    """One drum over time."""

    id: int
    name: str
    size: str
    history: Markup | None
    rounds: tuple[tuple[str, str, str, str], ...]
    """When, in which session, what was read, what was said."""
    heads: tuple[str, ...]
    takes: tuple[str, ...]
    taught: tuple[str, ...]


def log_page(
    catalogue: Catalogue,
    logs: list[DrumLog],
    words: str,
    imported: ImportSummary | None = None,
    dampers: Mapping[str, LearnedDamper] | None = None,
) -> LogPage:
    """Return the list of drums."""
    rows = []
    for row in logs:
        known = ((sum(r.readings for r in row.rounds), "reading"), (len(row.takes), "take"))
        counts = [counted(count, word) for count, word in known if count]
        last = row.rounds[-1] if row.rounds else None
        rows.append(
            LogRow(
                row.drum.id,
                row.drum.owned.name,
                _size(row),
                _when(row.last_at) if row.last_at else "nothing yet",
                _read(last, row) if last else "",
                f"{', '.join(counts)} · " if counts else "",
                _due(row),
            )
        )
    taught = tuple(_damper(catalogue, name, row) for name, row in (dampers or {}).items())
    return LogPage(tuple(rows), words, _import_words(imported) if imported else "", taught)


def _damper(catalogue: Catalogue, damper_id: str, row: LearnedDamper) -> str:
    name = catalogue.damper(damper_id).name
    used = "Plans use it" if row.strokes >= LEAST_STROKES else "Plans use it from the next one on"
    times = f"{row.times:.1f} ± {row.times * row.sd_share:.1f} times"
    return (
        f"{name[:1].upper()}{name[1:]}: {times} what the model expects, from "
        f"{counted(row.strokes, 'stroke')} before and after. {used}."
    )


def _due(row: DrumLog) -> str:
    """Say which heads are likely to be spent in the next session."""
    names = [
        head_name(row.drum.owned.kind, "batter" if h.side == "batter" else "reso") for h in row.due
    ]
    return f"{' and '.join(names)} due" if names else ""


def _import_words(imported: ImportSummary) -> str:
    what = [
        counted(count, thing)
        for count, thing in (
            (imported.sessions, "session"),
            (imported.drums, "drum"),
            (imported.readings, "reading"),
            (imported.sounds, "sound"),
        )
        if count
    ]
    return f"Brought in: {', '.join(what) or 'nothing, the export is empty'}."


def drum_log_page(catalogue: Catalogue, row: DrumLog) -> DrumLogPage:
    """Return the page of one drum."""
    drawn = row.rounds[-MOST_DRAWN:]
    points = [Point(_when(r.time), r.batter_hz, r.reso_hz, r.drum_hz) for r in drawn]
    return DrumLogPage(
        id=row.drum.id,
        name=row.drum.owned.name,
        size=_size(row),
        history=history(points) if points else None,
        rounds=tuple(
            (_when(r.time), r.session, _read(r, row), r.note) for r in reversed(row.rounds)
        ),
        heads=tuple(_head(catalogue, row, i) for i in range(len(row.heads))),
        takes=tuple(f"{_when(t.time)}, {t.session}: {t.filename}" for t in reversed(row.takes)),
        taught=tuple(_taught(row)),
    )


def _taught(row: DrumLog) -> Iterator[str]:
    """Yield what the log teaches of a drum, each with what it comes from."""
    if row.best:
        session, hz = row.best[-1]
        yield f"Best note by ear: {hz:.1f} Hz, {note_text(hz)}, in {session}."
    kind = row.drum.owned.kind
    for side in SIDES:
        name, settled = head_name(kind, side).capitalize(), row.overnight(side, fresh=False)
        if settled is not None:
            way = "drops" if settled.value < 0.0 else "rises"
            yield (
                f"{name}: {way} {abs(settled.value):.0f} ± {settled.sd:.0f} ct a night, from "
                f"{counted(settled.count, 'night')}."
            )
        fresh = row.overnight(side, fresh=True)
        if fresh is not None:
            way = "drops" if fresh.value < 0.0 else "rises"
            yield (
                f"{name}, newly fitted: {way} {abs(fresh.value):.0f} ± {fresh.sd:.0f} ct in its "
                f"first night, from {counted(fresh.count, 'night')}. Tune it again in the morning."
            )
    for head, sessions in zip(row.heads, row.used, strict=True):
        life = row.lives.get((head.side, head.construction))
        if head.removed_at is None and life is not None:
            name = head_name(kind, "batter" if head.side == "batter" else "reso").capitalize()
            yield (
                f"{name}: such heads lasted {life.value:.0f} ± {life.sd:.0f} sessions, from "
                f"{counted(life.count, 'head')}; this one has been in {sessions}."
                + (" Put a new one on before the next." if head in row.due else "")
            )


def _size(row: DrumLog) -> str:
    owned = row.drum.owned
    lent = f", borrowed from {row.drum.lent_by}" if row.drum.lent_by else ""
    return f"{owned.diameter_in:g} × {owned.depth_in:g} in, {owned.rods} rods{lent}"


def _when(time: datetime) -> str:
    return f"{time:%Y-%m-%d %H:%M}"


def _read(r: Round, row: DrumLog) -> str:
    kind = row.drum.owned.kind
    known = []
    if r.batter_hz:
        known.append(f"batter {r.batter_hz:.1f} Hz")
    if r.reso_hz:
        known.append(f"{head_name(kind, 'reso')} {r.reso_hz:.1f} Hz")
    if r.drum_hz:
        known.append(f"drum {r.drum_hz:.1f} Hz, {note_text(r.drum_hz)}")
    return " · ".join(known)


def _head(catalogue: Catalogue, row: DrumLog, index: int) -> str:
    head = row.heads[index]
    side = head_name(row.drum.owned.kind, "batter" if head.side == "batter" else "reso")
    since = f"since {_when(head.fitted_at)}" if head.fitted_at else "since it came"
    until = f", until {_when(head.removed_at)}" if head.removed_at else ""
    name = catalogue.construction(head.construction).name
    return f"{side[:1].upper()}{side[1:]}: {name}, {since}{until}"
