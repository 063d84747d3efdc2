"""Listen: the waveform's window, the lanes, the selected voice's card."""

from dataclasses import dataclass

from markupsafe import Markup

from emblar.actions.listen import Heard
from emblar.actions.workspace import Workspace
from emblar.core.analysis.analyse import PEAK_BINS_PER_S
from emblar.core.notes import note_text
from emblar.formats.analysis import AnalysisFile, VoiceFile
from emblar.store.references import ReferenceInfo
from emblar.web.drawing.lanes import Lane, LaneStroke, lanes
from emblar.web.drawing.pitch_track import pitch_track
from emblar.web.pages.frame import Frame
from emblar.web.pages.words import number, uncertainty, voice_title

SPAN_S, SHORTEST_SPAN_S = 12.0, 1.5
LANE_ORDER = {"hat": 0, "cymbal": 1, "snare": 2, "tom": 3, "kick": 5}
PLAY_HIT_S, MOST_PLAYED = 0.6, 8
SHARE_SURE = 0.5
STEADY_CENTS = 8.0


@dataclass(frozen=True, slots=True)
class CardRow:
    """One quantity of the card as shown."""

    name: str
    value: str
    word: str
    uncertainty: str
    why_not: str


@dataclass(frozen=True, slots=True)
class Window:
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
class ListenPage:
    """Everything the Listen screen shows."""

    frame: Frame
    reference: ReferenceInfo | None
    found: Heard | None
    title: str
    subtitle: str
    window: Window | None
    rows: tuple[CardRow, ...]
    track: Markup | None
    play_list: str
    audio_href: str
    how_sure: tuple[str, ...]
    untold: tuple[CardRow, ...]


def listen_page(
    work: Workspace, around: Frame, start_s: float | None, stop_s: float | None
) -> ListenPage:
    """Return the Listen screen, showing the recording between two times in s if given."""
    reference, found = work.reference, work.found
    voice_name = around.voice
    if found is None or voice_name is None:
        return ListenPage(
            around, reference, found, "Bring the record", "", None, (), None, "", "", (), ()
        )
    card = found.voice(voice_name)
    rows = card_rows(card) if card else ()
    return ListenPage(
        frame=around,
        reference=reference,
        found=found,
        title=f"{voice_title(voice_name)} on the record",
        subtitle=_subtitle(card, found),
        window=_window(around, found.analysis, voice_name, start_s, stop_s),
        rows=tuple(row for row in rows if not row.why_not),
        track=_track(card),
        play_list=_play_list(found.analysis, voice_name),
        audio_href=f"/audio/{found.reference.audio_id}",
        how_sure=_how_sure(card, found),
        untold=tuple(row for row in rows if row.why_not),
    )


def _subtitle(card: VoiceFile | None, found: Heard) -> str:
    if card is None:
        return "Not heard in this recording"
    told = f"{card.hits} strokes, {card.clean_hits} clean enough to measure"
    return f"{told} · {found.reference.filename}"


def card_rows(card: VoiceFile) -> tuple[CardRow, ...]:
    """Return the card's quantities in the order people listen."""
    pitch_word = note_text(card.fundamental_hz) if card.fundamental_hz else ""
    bend = card.glide_cents
    bend_word = "" if bend is None else _bend_word(bend)
    ratio = f"at {card.ring_ratio:.2f} ×" if card.ring_ratio else ""
    table = [
        ("pitch", card.fundamental_hz, "Hz", None, pitch_word, "fundamental_hz"),
        ("bend", bend, "ct", card.glide_sd_cents, bend_word, "glide_cents"),
        ("sustain", card.decay_s, "s", card.decay_sd_s, "to −60 dB", "decay_s"),
        ("length", card.length_s, "s", card.length_sd_s, "to −20 dB", "length_s"),
        ("attack", card.attack_db, "dB", card.attack_sd_db, "first 10 ms", "attack_db"),
        ("click", card.click_hz, "Hz", card.click_sd_hz, "centre of it", "click_hz"),
        ("body", card.body_db, "dB", card.body_sd_db, "share at the pitch", "body_db"),
        ("ring", card.ring_db, "dB", card.ring_sd_db, ratio, "ring_db"),
        ("wires", card.wires_db, "dB", card.wires_sd_db, "against the drum", "wires_db"),
    ]
    rows = []
    for name, value, unit, sd, word, field in table:
        if value is None and name == "wires" and card.voice != "snare":
            continue
        if value is None:
            rows.append(CardRow(name, "", "", "", card.reasons.get(field, "not told")))
            continue
        spread = f"± {card.fundamental_sd_cents:.0f} ct" if name == "pitch" else (
            uncertainty(sd or 0.0, value, unit)
        )  # fmt: skip
        rows.append(CardRow(name, number(value, unit), word, spread, ""))
    return tuple(rows)


def _bend_word(bend_cents: float) -> str:
    if abs(bend_cents) < STEADY_CENTS:
        return "steady"
    return "falls" if bend_cents > 0 else "rises"


def _track(card: VoiceFile | None) -> Markup | None:
    if card is None or card.fundamental_hz is None or not card.tracks:
        return None
    sd_hz = card.fundamental_hz * (2.0 ** ((card.fundamental_sd_cents or 0.0) / 1200.0) - 1.0)
    tracks = [(t.time_s, t.frequency_hz) for t in card.tracks]
    return pitch_track(tracks, card.fundamental_hz, sd_hz)


def _play_list(analysis: AnalysisFile, voice: str) -> str:
    own = [h for h in analysis.hits if h.voice == voice]
    chosen = [h for h in own if h.clean][:MOST_PLAYED] or own[:MOST_PLAYED]
    return ";".join(f"{h.time_s:.3f},{PLAY_HIT_S}" for h in chosen)


def _how_sure(card: VoiceFile | None, found: Heard) -> tuple[str, ...]:
    if card is None:
        return ()
    said = []
    if card.fundamental_hz is not None and card.fundamental_spread_cents is not None:
        said.append(
            f"Pitch from {card.clean_hits} clean stroke{'' if card.clean_hits == 1 else 's'}, "
            f"{card.fundamental_spread_cents:.0f} ct apart from each other."
        )
    own = [h for h in found.analysis.hits if h.voice == card.voice]
    doubtful = sum(h.confidence < SHARE_SURE for h in own)
    if doubtful:
        said.append(f"{doubtful} of its {len(own)} strokes could belong to another drum.")
    if found.reference.kind == "mix":
        said.append("Read from a full mix without taking the drums out first: trust it less.")
    return tuple(said)


def _lane_key(voice: str) -> tuple[int, str]:
    return LANE_ORDER.get(voice.split("-", maxsplit=1)[0], 4), voice


def _window(
    around: Frame, analysis: AnalysisFile, voice: str, start_s: float | None, stop_s: float | None
) -> Window:
    start, stop = _bounds(analysis, voice, start_s, stop_s)
    names = sorted({h.voice for h in analysis.hits}, key=_lane_key)
    rows = [_lane(around, analysis, name, name == voice, start, stop) for name in names]
    span, middle = stop - start, (start + stop) / 2.0

    def at(new_middle: float, new_span: float) -> str:
        low, high = new_middle - new_span / 2.0, new_middle + new_span / 2.0
        base = f"/sessions/{around.session.id}/listen?sel={voice}"
        return f"{base}&start={low:.2f}&stop={high:.2f}"

    return Window(
        start_s=start,
        stop_s=stop,
        lanes=lanes(rows, start, stop),
        earlier=at(middle - 0.7 * span, span),
        later=at(middle + 0.7 * span, span),
        closer=at(middle, max(span / 2.0, SHORTEST_SPAN_S)),
        wider=at(middle, span * 2.0),
        text=f"{start:.1f} to {stop:.1f} s of {analysis.source.duration_s:.1f} s",
    )


def _bounds(
    analysis: AnalysisFile, voice: str, start_s: float | None, stop_s: float | None
) -> tuple[float, float]:
    """Return the window asked for, or one where the voice is heard cleanly."""
    duration = analysis.source.duration_s
    if start_s is None or stop_s is None or stop_s <= start_s:
        own = [h for h in analysis.hits if h.voice == voice]
        first = next((h for h in own if h.clean), own[0] if own else None)
        start_s = (first.time_s - 2.0) if first else 0.0
        stop_s = start_s + SPAN_S
    span = min(max(stop_s - start_s, SHORTEST_SPAN_S), duration)
    start = min(max(start_s, 0.0), duration - span)
    return start, start + span


def _lane(
    around: Frame, analysis: AnalysisFile, name: str, selected: bool, start: float, stop: float
) -> Lane:
    own = [(i, h) for i, h in enumerate(analysis.hits) if h.voice == name]
    loudest = max(h.level_db for _, h in own)
    strokes = [
        LaneStroke(i, h.time_s, loudest - h.level_db, h.clean, h.confidence)
        for i, h in own
        if start <= h.time_s < stop
    ]
    href = f"/sessions/{around.session.id}/listen?sel={name}&start={start:.2f}&stop={stop:.2f}"
    return Lane(name, len(own), href, selected, strokes)


def peaks_window(found: Heard, start_s: float, stop_s: float) -> dict[str, list[float]]:
    """Return the waveform's lowest and highest values between two times."""
    first, last = max(int(start_s * PEAK_BINS_PER_S), 0), max(int(stop_s * PEAK_BINS_PER_S), 1)
    low, high = found.peaks
    return {"low": low[first:last], "high": high[first:last]}
