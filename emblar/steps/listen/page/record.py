"""Listen: the waveform's window, the lanes, the selected voice's card."""

from dataclasses import dataclass, replace

import numpy as np
from markupsafe import Markup

from emblar.core.analysis.card.clean import clean_stretches
from emblar.core.analysis.pipeline import PEAK_BINS_PER_S
from emblar.core.naming import counted, voice_title
from emblar.core.quantities.registry import steps
from emblar.core.voices import VoiceName, is_tom
from emblar.formats.analysis import AnalysisFile, VoiceFile
from emblar.frame.words import number
from emblar.steps.kit.actions.drums import tuned_voices
from emblar.steps.listen.actions.recordings import AnalysedRecord
from emblar.steps.listen.actions.strokes import LastCorrection
from emblar.steps.listen.drawing.lanes import Lane, LaneStroke, lanes
from emblar.steps.listen.drawing.overview import overview
from emblar.steps.listen.page.card import (
    CardRow,
    ReadingRow,
    card_rows,
    decay_drawing,
    how_sure,
    overtones_drawing,
    reading_rows,
    track_drawing,
)
from emblar.steps.listen.queries import RecordingInfo
from emblar.steps.log.actions.evidence import CONFIDENCE
from emblar.steps.workspace.actions import Workspace
from emblar.steps.workspace.page import Frame, sound_href

SPAN_S = 12.0
SHORTEST_SPAN_S = 1.5
LANE_ORDER = {"hat": 0, "cymbal": 1, "snare": 2, "tom": 3, "kick": 5}
PLAY_HIT_S = 0.6
MOST_PLAYED = 8
MOST_PEAKS = 4000
KIND_WORDS = {
    "auto": "not said what",
    "drums": "drums only",
    "mix": "full mix",
    "hit": "single strokes",
}


@dataclass(frozen=True, slots=True)
class ShownWindow:
    """The stretch of the recording that is shown, and the addresses of its neighbours."""

    start_s: float
    stop_s: float
    lanes: Markup
    earlier: str
    later: str
    closer: str
    wider: str
    text: str


@dataclass(frozen=True, slots=True)
class TomChange:
    """A button that splits or merges toms."""

    what: str
    text: str


@dataclass(frozen=True, slots=True)
class StretchLink:
    """A stretch where the voice is heard cleanly, and the address that shows it."""

    text: str
    href: str


@dataclass(frozen=True, slots=True)
class SoundPart:
    """A part of the recording that can be played and taken along."""

    text: str
    key: str
    play_href: str
    file_href: str


@dataclass(frozen=True, slots=True)
class RegionRow:
    """A named stretch of the recording."""

    name: str
    text: str
    href: str
    play: str
    measure: bool


@dataclass(frozen=True, slots=True)
class FileRow:
    """One file of the record."""

    id: int
    name: str
    text: str
    shown: bool


@dataclass(frozen=True, slots=True)
class EvidenceLine:
    """A piece of evidence in words."""

    id: int
    text: str


@dataclass(frozen=True, slots=True)
class NextStep:
    """What to do after the analysis: a sentence, and the button that does it.

    ``matches`` is true where the button matches the kit's drums to the record; else it is a link.
    """

    text: str
    button: str
    href: str
    matches: bool = False


@dataclass(frozen=True, slots=True)
class CardDrawings:
    """Drawings of a card; None for a quantity that the card does not hold."""

    track: Markup | None
    decay: Markup | None
    overtones: Markup | None


@dataclass(frozen=True, slots=True)
class ListenPage:
    """Everything the Listen screen shows."""

    frame: Frame
    recording: RecordingInfo | None
    record: AnalysedRecord | None
    title: str
    subtitle: str
    window: ShownWindow | None = None
    rows: tuple[CardRow, ...] = ()
    untold: tuple[CardRow, ...] = ()
    drawings: CardDrawings | None = None
    play_list: str = ""
    audio_href: str = ""
    how_sure: tuple[str, ...] = ()
    correction: LastCorrection | None = None
    undo_href: str = ""
    voices: tuple[str, ...] = ()
    toms: tuple[TomChange, ...] = ()
    parts: tuple[SoundPart, ...] = ()
    stretches: tuple[StretchLink, ...] = ()
    regions: tuple[RegionRow, ...] = ()
    files: tuple[FileRow, ...] = ()
    evidence: tuple[EvidenceLine, ...] = ()
    quantities: tuple[str, ...] = tuple(steps())
    readings: tuple[ReadingRow, ...] = ()
    measuring: bool = False
    """Whether the drum shown was corrected, and its numbers follow in a moment."""
    overview: Markup | None = None
    renames: tuple[str, ...] = ()
    """What all strokes of the drum shown may be made."""
    unreadable: tuple[FileRow, ...] = ()
    """Files that have to be analysed again before anything of them can be shown."""
    failed: str = ""
    """Why the newest file was not kept, or nothing."""
    next_step: NextStep | None = None


def listen_page(
    work: Workspace,
    around: Frame,
    start_s: float | None,
    stop_s: float | None,
    correction: LastCorrection | None,
) -> ListenPage:
    """Return the Listen screen, showing the recording between two times in s if given.

    ``correction`` is the last one made by ear.
    """
    recording, result = work.recording, work.record
    unreadable = _unreadable(work)
    if result is None or around.voice is None:
        return ListenPage(around, recording, result, "Add the record", "", unreadable=unreadable)
    page = _voice_page(around, result, around.voice, start_s, stop_s, correction)
    return replace(page, recording=recording, unreadable=unreadable, failed=_failed(recording))


def _voice_page(
    around: Frame,
    result: AnalysedRecord,
    voice_name: str,
    start_s: float | None,
    stop_s: float | None,
    correction: LastCorrection | None,
) -> ListenPage:
    card = result.voice(voice_name)
    window = _window(around, result.analysis, voice_name, start_s, stop_s)
    rows = card_rows(card) if card else ()
    return ListenPage(
        frame=around,
        recording=None,
        record=result,
        title=f"{voice_title(voice_name)} on the record",
        subtitle=_subtitle(card, result),
        window=window,
        rows=tuple(row for row in rows if not row.why_not),
        untold=tuple(row for row in rows if row.why_not),
        drawings=CardDrawings(track_drawing(card), decay_drawing(card), overtones_drawing(card)),
        play_list=_play_list(result.analysis, voice_name),
        audio_href=sound_href(result.recording.session_id, result.recording.audio_id),
        how_sure=how_sure(card, result),
        correction=correction,
        undo_href=_undo_href(around, voice_name, window, correction),
        voices=_choices(result.analysis),
        toms=_tom_changes(result.analysis, voice_name),
        parts=_parts(result),
        stretches=_stretches(around, result.analysis, voice_name),
        regions=_regions(around, result.recording, voice_name),
        files=_files(result),
        evidence=_evidence(result, voice_name),
        readings=reading_rows(card, around.session.id),
        measuring=voice_name in result.analysis.measuring,
        overview=_overview(around, result, voice_name, window),
        renames=_renames(result.analysis, voice_name),
        next_step=_next_step(around),
    )


def _next_step(around: Frame) -> NextStep:
    """Return what the record needs next: a kit, its drums matched, or a plan."""
    voices = tuned_voices(around.record)
    count = f"{counted(len(voices), 'drum')} found on the record"
    matched = {drum.voice for drum in around.drums if not drum.also}
    open_voices = [voice for voice in voices if voice not in matched]
    kit_href, plan_href = around.href("kit"), around.href("plan")
    if not voices:
        return NextStep("No drum with a pitch was found on the record.", "Go to Kit", kit_href)
    if not around.drums:
        return NextStep(f"{count}. Choose the kit you will play.", "Choose a kit", kit_href)
    if not open_voices:
        return NextStep(f"{count}, all matched to your kit.", "Go to Plan", plan_href)
    if len(open_voices) == len(voices):
        text, button = f"{count}. Match them to your kit.", "Match them to your kit"
        return NextStep(text, button, kit_href, matches=True)
    names = " and ".join(voice_title(voice).lower() for voice in open_voices)
    verb = "has" if len(open_voices) == 1 else "have"
    return NextStep(f"{count}; {names} {verb} no drum in your kit yet.", "Go to Kit", kit_href)


def _undo_href(
    around: Frame, voice: str, window: ShownWindow, correction: LastCorrection | None
) -> str:
    if correction is None:
        return ""
    time_s = f"seen={correction.count}&start={window.start_s:.2f}&stop={window.stop_s:.2f}"
    return f"/sessions/{around.session.id}/listen/take-back?sel={voice}&{time_s}"


def _overview(
    around: Frame, record: AnalysedRecord, voice: str, window: ShownWindow
) -> Markup | None:
    """Return the whole recording to jump in; None where the window shows all of it."""
    duration = record.analysis.source.duration_s
    span = window.stop_s - window.start_s
    if duration <= 1.05 * span:
        return None
    base = f"/sessions/{around.session.id}/listen?sel={voice}"

    def href(middle: float) -> str:
        start = min(max(middle - span / 2.0, 0.0), duration - span)
        return f"{base}&start={start:.2f}&stop={start + span:.2f}"

    return overview(record.bars, duration, window.start_s, window.stop_s, href)


def _renames(analysis: AnalysisFile, voice: str) -> tuple[str, ...]:
    toms = () if is_tom(voice) else ("tom-1",)
    names = {h.voice for h in analysis.hits if not is_tom(h.voice)}
    available = sorted(names | {"kick", "snare", "hat", "cymbal"}, key=_lane_key)
    return tuple(v for v in (*available, *toms) if v != voice)


def _stretches(around: Frame, analysis: AnalysisFile, voice: str) -> tuple[StretchLink, ...]:
    base = f"/sessions/{around.session.id}/listen?sel={voice}"
    return tuple(
        StretchLink(
            f"{_clock(s.start_s)} to {_clock(s.stop_s)}, {s.clean} clean",
            f"{base}&start={s.start_s:.2f}&stop={s.stop_s:.2f}",
        )
        for s in clean_stretches(analysis.hits, voice, duration_s=analysis.source.duration_s)
    )


def _regions(around: Frame, shown: RecordingInfo, voice: str) -> tuple[RegionRow, ...]:
    base = f"/sessions/{around.session.id}/listen?sel={voice}"
    return tuple(
        RegionRow(
            r.name,
            f"{_clock(r.start_s)} to {_clock(r.stop_s)}",
            f"{base}&start={r.start_s:.2f}&stop={r.stop_s:.2f}",
            f"{r.start_s:.3f},{r.stop_s - r.start_s:.3f}",
            r.measure,
        )
        for r in shown.regions
    )


def _files(record: AnalysedRecord) -> tuple[FileRow, ...]:
    rows = []
    for file in record.files:
        held = KIND_WORDS[file.kind] + (f" of {voice_title(file.voice)}" if file.voice else "")
        shown = file.id == record.recording.id
        rows.append(FileRow(file.id, file.filename, held, shown))
    return tuple(rows)


def _evidence(record: AnalysedRecord, voice: str) -> tuple[EvidenceLine, ...]:
    rows = []
    for piece in record.evidence:
        if piece.voice != voice:
            continue
        trust = min(CONFIDENCE, key=lambda word: abs(CONFIDENCE[word] - piece.confidence))
        text = f"{piece.source} ({trust})"
        if piece.quantity is not None and piece.value is not None:
            unit = steps()[piece.quantity].unit
            text = f"{piece.quantity} {number(piece.value, unit)}: {text}"
        rows.append(EvidenceLine(piece.id, text))
    return tuple(rows)


def _unreadable(work: Workspace) -> tuple[FileRow, ...]:
    rows = [
        FileRow(r.id, r.filename, "kept by another Emblar, its analysis cannot be read", False)
        for r in work.unreadable
    ]
    newest = work.recording
    if newest is not None and newest.state == "failed" and newest.audio_id is not None:
        rows.append(FileRow(newest.id, newest.filename, "not analysed", False))
    if work.cancelled is not None:
        text = "cancelled; what was analysed before is still there"
        rows.append(FileRow(work.cancelled.id, work.cancelled.filename, text, False))
    return tuple(rows)


def _failed(newest: RecordingInfo | None) -> str:
    if newest is None or newest.state != "failed":
        return ""
    kept = "" if newest.audio_id is not None else " The recording was not kept."
    return f"{newest.filename}: {newest.message}{kept}"


def _clock(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02d}"


def _choices(analysis: AnalysisFile) -> tuple[str, ...]:
    """Return the voices a stroke can be given: those there are, and one more tom."""
    toms = sorted({h.voice for h in analysis.hits if is_tom(h.voice)})
    return ("hat", "cymbal", "snare", *toms, VoiceName.tom(len(toms) + 1), "kick")


def _tom_changes(analysis: AnalysisFile, voice: str) -> tuple[TomChange, ...]:
    number = VoiceName(voice).number
    if number is None:
        return ()
    changes = [TomChange("split", f"Split {voice.replace('-', ' ')} in two")]
    lower = VoiceName.tom(number + 1)
    if any(h.voice == lower for h in analysis.hits):
        words = f"Make {voice.replace('-', ' ')} and {lower.replace('-', ' ')} one"
        changes.append(TomChange("merge", words))
    return tuple(changes)


def _parts(record: AnalysedRecord) -> tuple[SoundPart, ...]:
    if record.parts is None:
        return ()
    session_id = record.recording.session_id
    base = f"/sessions/{session_id}/listen/stems"
    return tuple(
        SoundPart(
            name,
            name[0] if name == "drums" else "r",
            sound_href(session_id, audio_id),
            f"{base}/{name}.flac",
        )
        for name, audio_id in zip(("drums", "drumless"), record.parts, strict=True)
    )


def _subtitle(card: VoiceFile | None, record: AnalysedRecord) -> str:
    if card is None:
        return "Not heard in this recording"
    known = f"{counted(card.hits, 'stroke')}, {card.clean_hits} clean enough to measure"
    return f"{known} · {record.recording.filename}"


def _play_list(analysis: AnalysisFile, voice: str) -> str:
    voice_hits = [h for h in analysis.hits if h.voice == voice]
    chosen = [h for h in voice_hits if h.clean][:MOST_PLAYED] or voice_hits[:MOST_PLAYED]
    return ";".join(f"{h.time_s:.3f},{PLAY_HIT_S}" for h in chosen)


def _lane_key(voice: str) -> tuple[int, str]:
    return LANE_ORDER.get(VoiceName(voice).kind, 4), voice


def _window(
    around: Frame, analysis: AnalysisFile, voice: str, start_s: float | None, stop_s: float | None
) -> ShownWindow:
    start, stop = _bounds(analysis, voice, start_s, stop_s)
    names = sorted({h.voice for h in analysis.hits}, key=_lane_key)
    rows = [_lane(around, analysis, name, name == voice, start, stop) for name in names]
    span, middle = stop - start, (start + stop) / 2.0

    def window_at(new_middle: float, new_span: float) -> str:
        low, high = new_middle - new_span / 2.0, new_middle + new_span / 2.0
        base = f"/sessions/{around.session.id}/listen?sel={voice}"
        return f"{base}&start={low:.2f}&stop={high:.2f}"

    return ShownWindow(
        start_s=start,
        stop_s=stop,
        lanes=lanes(rows, start, stop),
        earlier=window_at(middle - 0.7 * span, span),
        later=window_at(middle + 0.7 * span, span),
        closer=window_at(middle, max(span / 2.0, SHORTEST_SPAN_S)),
        wider=window_at(middle, span * 2.0),
        text=f"{_clock(start)} to {_clock(stop)} of {_clock(analysis.source.duration_s)}",
    )


def _bounds(
    analysis: AnalysisFile, voice: str, start_s: float | None, stop_s: float | None
) -> tuple[float, float]:
    """Return the window asked for, or one where the voice is heard cleanly."""
    duration = analysis.source.duration_s
    if start_s is None or stop_s is None or stop_s <= start_s:
        voice_hits = [h for h in analysis.hits if h.voice == voice]
        first = next((h for h in voice_hits if h.clean), voice_hits[0] if voice_hits else None)
        start_s = (first.time_s - 2.0) if first else 0.0
        stop_s = start_s + SPAN_S
    span = min(max(stop_s - start_s, SHORTEST_SPAN_S), duration)
    start = min(max(start_s, 0.0), duration - span)
    return start, start + span


def _lane(
    around: Frame, analysis: AnalysisFile, name: str, selected: bool, start: float, stop: float
) -> Lane:
    voice_hits = [(i, h) for i, h in enumerate(analysis.hits) if h.voice == name]
    loudest = max(h.level_db for _, h in voice_hits)
    strokes = [
        LaneStroke(i, h.time_s, loudest - h.level_db, h.clean, h.confidence, h.manner)
        for i, h in voice_hits
        if start <= h.time_s < stop
    ]
    href = f"/sessions/{around.session.id}/listen?sel={name}&start={start:.2f}&stop={stop:.2f}"
    return Lane(name, len(voice_hits), href, selected, strokes)


def peaks_window(record: AnalysedRecord, start_s: float, stop_s: float) -> dict[str, list[float]]:
    """Return the waveform's lowest and highest values between two times.

    Of a long window so many are put together that no more come than can be seen.
    """
    first, last = max(int(start_s * PEAK_BINS_PER_S), 0), max(int(stop_s * PEAK_BINS_PER_S), 1)
    low, high = (side[first:last] for side in record.peaks)
    size = -(-len(low) // MOST_PEAKS)
    if size > 1:
        starts = np.arange(0, len(low), size)
        low, high = np.minimum.reduceat(low, starts), np.maximum.reduceat(high, starts)
    return {"low": low.tolist(), "high": high.tolist()}
