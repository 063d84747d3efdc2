"""What stands around every step: the top, the kit strip, the selection."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from markupsafe import Markup

from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import Catalogue
from emblar.core.planning.recipe import kind_of_voice
from emblar.frame.drawing.kit_strip import State, StripDrum, kit_strip
from emblar.frame.words import left_words
from emblar.platform.sessions import SessionInfo
from emblar.steps.kit.actions.drums import tuned_voices
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.recordings import AnalysedRecord
from emblar.steps.plan.actions.planning import KitPlan
from emblar.steps.workspace.actions import Workspace

STEPS = (
    ("brief", "Brief"),
    ("listen", "Listen"),
    ("kit", "Kit"),
    ("plan", "Plan"),
    ("bench", "Bench"),
    ("match", "Match"),
    ("sheet", "Sheet"),
)


@dataclass(frozen=True, slots=True)
class StepTab:
    """A step in the top bar."""

    name: str
    title: str
    number: int
    href: str
    current: bool


@dataclass(frozen=True, slots=True)
class ChecklistItem:
    """Something a new session needs, and the step where it is done."""

    text: str
    done: bool
    href: str


@dataclass(frozen=True, slots=True)
class StripLine:
    """The kit strip folded to one line: the selected drum and its neighbours' addresses."""

    name: str
    place: str
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Frame:
    """Everything around a step, and what is selected in it."""

    session: SessionInfo
    downbeat: str
    steps: tuple[StepTab, ...]
    strip: Markup
    strip_line: "StripLine | None"
    strip_empty: bool
    checklist: "tuple[ChecklistItem, ...]"
    """What a new session still needs before its plan; empty once it is planned."""
    selection: str
    drum: KitDrum | None
    voice: str | None
    drums: tuple[KitDrum, ...]
    record: AnalysedRecord | None
    plan: KitPlan | None
    catalogue: Catalogue

    @property
    def step_title(self) -> str:
        """Return the name of the step shown."""
        return next((step.title for step in self.steps if step.current), "")

    def href(self, step: str) -> str:
        """Return the address of a step, keeping the selection."""
        return _href(self.session.id, step, self.selection)


def _href(session_id: int, step: str, selection: str) -> str:
    return f"/sessions/{session_id}/{step}" + (f"?sel={selection}" if selection else "")


def sound_href(session_id: int, audio_id: int | None) -> str:
    """Return the address of a session's sound; empty without one."""
    return f"/sessions/{session_id}/audio/{audio_id}" if audio_id is not None else ""


def time_left(downbeat_at: datetime | None, time: datetime) -> str:
    """Return the time until the downbeat in words, or an empty string without one."""
    if downbeat_at is None:
        return ""
    left = downbeat_at - time
    if left < timedelta(0):
        return "downbeat has passed"
    hours, rest = divmod(int(left.total_seconds()), 3600)
    if hours >= 48:
        return f"downbeat in {hours // 24} d {hours % 24} h"
    return f"downbeat in {hours} h {rest // 60:02d} m"


def frame(work: Workspace, step: str, selection: str, time: datetime) -> Frame:
    """Return what stands around a step.

    Parameters
    ----------
    work
        The session's workspace.
    step
        Name of the step shown.
    selection
        ``d`` and a drum's id, or a voice's name; empty selects the first there is.
    time
        For the time left until the downbeat.
    """
    session_id, drums, result = work.session.id, list(work.drums), work.record
    drum, voice = _selected(selection, drums, result)
    if step == "listen" and result is not None:
        drum, voice = _on_the_record(drum, voice, drums, result)
    key = f"d{drum.id}" if drum else (voice or "")
    steps = tuple(
        StepTab(name, title, i + 1, _href(session_id, name, key), name == step)
        for i, (name, title) in enumerate(STEPS)
    )
    shown = _strip_drums(work, step, key)
    return Frame(
        session=work.session,
        downbeat=time_left(work.session.downbeat_at, time),
        steps=steps,
        strip=kit_strip(shown),
        strip_line=_strip_line(shown),
        strip_empty=not shown,
        checklist=_checklist(work, key),
        selection=key,
        drum=drum,
        voice=voice,
        drums=work.drums,
        record=result,
        plan=work.plan,
        catalogue=work.catalogue,
    )


def _checklist(work: Workspace, key: str) -> tuple[ChecklistItem, ...]:
    if work.planned:
        return ()
    matched = any(drum.voice for drum in work.drums)
    rows = (
        ("Record", work.record is not None, "listen"),
        ("Kit", bool(work.drums), "kit"),
        ("Drums matched", matched, "kit"),
        ("Plan", False, "plan"),
    )
    return tuple(
        ChecklistItem(text, done, _href(work.session.id, step, key)) for text, done, step in rows
    )


def _strip_line(shown: list[StripDrum]) -> StripLine | None:
    position = next((i for i, drum in enumerate(shown) if drum.selected), 0)
    if not shown:
        return None
    return StripLine(
        shown[position].name,
        f"{position + 1} of {len(shown)}",
        shown[position - 1].href,
        shown[(position + 1) % len(shown)].href,
    )


def _selected(
    selection: str, drums: list[KitDrum], record: AnalysedRecord | None
) -> tuple[KitDrum | None, str | None]:
    """Return the selected drum and the voice it plays, or a voice that no drum plays."""
    voices = [v.voice for v in record.analysis.voices] if record else []
    drum = next((d for d in drums if f"d{d.id}" == selection), None)
    if drum is None and selection in voices:
        drum = next((d for d in drums if d.voice == selection), None)
        return drum, selection
    if drum is None:
        toms = [d for d in drums if d.owned.kind == "tom"]
        drum = next(iter(toms or drums), None)
    if drum is None:
        tuned = tuned_voices(record)
        return None, next(iter(tuned or voices), None)
    return drum, drum.voice


def _on_the_record(
    drum: KitDrum | None, voice: str | None, drums: list[KitDrum], record: AnalysedRecord
) -> tuple[KitDrum | None, str | None]:
    """Return the selection if the record has that drum, else the record's first drum.

    Listen shows the record, so one of your drums that plays no part of it cannot be shown there.
    """
    voices = [card.voice for card in record.analysis.voices]
    if voice in voices or not voices:
        return drum, voice
    first = next(iter(tuned_voices(record) or voices))
    return next((d for d in drums if d.voice == first), None), first


def _left_words(drum: KitDrum, work: Workspace) -> str:
    """Return where the heads of a drum were left that is not tuned although its jobs are done."""
    rows = work.left.get(drum.id, {})
    return "; ".join(
        f"{head_name(drum.owned.kind, side)} {left_words(left.hz, left.off_cents)}"
        for side, left in rows.items()
    )


def _strip_drums(work: Workspace, step: str, selected: str) -> list[StripDrum]:
    voices = tuned_voices(work.record)
    shown = []
    for drum in work.drums:
        state: State = "dotted" if drum.voice in voices else "empty"
        if drum.id in work.planned:
            state = "full" if drum.id in work.tuned else "half"
        key, owned = f"d{drum.id}", drum.owned
        href = _href(work.session.id, step, key)
        shown.append(
            StripDrum(
                key,
                owned.name,
                owned.kind,
                owned.diameter_in,
                state,
                key == selected,
                href,
                drum.stand,
                drum.position,
                _left_words(drum, work),
            )
        )
    played = {d.voice for d in work.drums}
    return shown + [
        StripDrum(
            voice,
            voice.replace("-", " "),
            kind_of_voice(voice),
            None,
            "dotted",
            voice == selected,
            _href(work.session.id, step, voice),
        )
        for voice in voices
        if voice not in played
    ]
