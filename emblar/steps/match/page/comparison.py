"""What Match shows: record, plan and take on the same rulers, the next move, the journey."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import (
    Catalogue,
)
from emblar.core.matching.differences import Comparison, Difference
from emblar.core.matching.moves import Move
from emblar.core.matching.room import rooms
from emblar.core.naming import counted, lower_first
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from emblar.formats.move_words import no_move_words
from emblar.formats.turn_words import turn_words
from emblar.frame.drawing.small_decay import small_decay
from emblar.frame.words import changed_by, number
from emblar.steps.kit.page import Option
from emblar.steps.match.actions.comparison import FAR_STEPS, Match
from emblar.steps.match.actions.takes import Take
from emblar.steps.match.drawing.match_rulers import MatchRow, match_rulers
from emblar.steps.workspace.page import Frame

SHORT = {"pitch": "note", "bend": "bend", "sustain": "ring-out", "click": "brightness"}
VERY_STEPS = 3.0
ROOM_DB = -14.0


@dataclass(frozen=True, slots=True)
class MoveRow:
    """A move in words."""

    kind: str
    what: str
    title: str
    text: str
    doable_here: bool


@dataclass(frozen=True, slots=True)
class JourneyCard:
    """A take in the journey's strip."""

    id: int
    setup_id: int
    title: str
    changed: str
    picture: Markup
    off: str
    href: str
    play: str
    shown: bool
    selected: bool
    photo: str
    """Address of the setup's picture, or nothing."""
    note: str


@dataclass(frozen=True, slots=True)
class PossibleChange:
    """One thing that may have been changed: what it is, and whether it is so now."""

    what: str
    text: str
    applied: bool


@dataclass(frozen=True, slots=True)
class ChangeGroup:
    """Things of one kind."""

    kind: str
    title: str
    rows: tuple[PossibleChange, ...]


@dataclass(frozen=True, slots=True)
class MatchPage:
    """Everything the Match screen shows."""

    title: str
    subtitle: str
    measuring: bool
    failed: tuple[str, ...]
    rulers: Markup | None
    record_play: str
    take_play: str
    song_play: str
    ours_play: str
    moves: tuple[MoveRow, ...]
    stop: str
    leave_alone: tuple[str, ...]
    soft_loud: str
    at_tempo: str
    journey: tuple[JourneyCard, ...]
    takes: str
    """How many takes the journey has, in words."""
    changes: tuple[ChangeGroup, ...]
    """What somebody may have changed of their own, by what it is."""
    rooms: tuple[Option, ...]
    """Rooms the take can be heard in."""
    against: tuple[Option, ...]
    """What the take can be heard against: the record, every other take."""
    first: str
    """What it is heard against now."""
    second: str
    base: str
    take_id: int | None


def match_page(
    matched: Match, around: Frame, room: str = "", against: int | None = None
) -> MatchPage:
    """Return the Match screen of a drum.

    Parameters
    ----------
    room, against
        A room to hear the take in, and another take to hear it against instead of the record.
    """
    owned, shown = matched.bench.drum.owned, matched.shown
    base = f"/sessions/{around.session.id}/match/{matched.bench.drum.id}"
    apart = shown.comparison if shown else None
    others = [t for t in matched.takes if t.comparison is not None and t is not shown]
    other = next((t for t in others if t.info.id == against), None)
    position = f"?take={shown.info.id}" if shown else ""
    position += f"&against={other.info.id}" if other else ""
    ours = f"{position}&room={room}" if room else position
    position = ours if other else position
    return MatchPage(
        title=match_title(owned.name, apart),
        subtitle=_subtitle(shown),
        measuring=matched.measuring,
        failed=tuple(
            f"{t.info.filename}: {t.info.message}"
            for t in matched.takes
            if t.info.state == "failed"
        ),
        rulers=rulers_of(matched, shown) if shown else None,
        record_play=f"{base}/pair/record.wav{position}",
        take_play=f"{base}/pair/take.wav{ours}",
        song_play=f"{base}/song/record.wav{position}",
        ours_play=f"{base}/song/take.wav{ours}",
        moves=tuple(
            _move_row(around.catalogue, m, matched.bench.drum.owned.kind) for m in matched.moves
        ),
        stop=_stop(matched, apart),
        leave_alone=_leave_alone(matched, apart),
        soft_loud=_soft_loud(shown),
        at_tempo=_at_tempo(matched, shown),
        journey=_journey(matched, base, around),
        takes=counted(len(matched.takes), "take"),
        changes=_changes(around.catalogue, matched),
        rooms=_rooms(room),
        against=_others(others, other),
        first=f"take {other.number}" if other else "record",
        second=f"take {shown.number}" if other and shown else "take",
        base=base,
        take_id=shown.info.id if shown else None,
    )


def _rooms(chosen: str) -> tuple[Option, ...]:
    return (
        Option("", "as recorded", not chosen),
        *(Option(name, row.name, name == chosen) for name, row in rooms().items()),
    )


def _others(others: Sequence[Take], chosen: Take | None) -> tuple[Option, ...]:
    return (
        Option("", "the record", chosen is None),
        *(Option(str(t.info.id), f"take {t.number}", t is chosen) for t in others),
    )


def _changes(catalogue: Catalogue, matched: Match) -> tuple[ChangeGroup, ...]:
    """Return what may be ticked as changed since the last take, what is on now first."""
    setup, kind = matched.setup, matched.bench.drum.owned.kind
    dampers = [
        PossibleChange(d.id, d.name, d.id in setup.dampers) for d in catalogue.dampers_for(kind)
    ]
    dampers.sort(key=lambda row: not row.applied)
    groups = [ChangeGroup("damper", "On or off", tuple(dampers))]
    by = [PossibleChange(s.id, s.name, s.id == setup.striker) for s in catalogue.strikers_for(kind)]
    groups.append(ChangeGroup("striker", "Struck with", tuple(by)))
    if kind == "snare":
        wires = [
            PossibleChange(w.id, w.name, w.id == setup.wires)
            for w in catalogue.wire_settings.values()
        ]
        groups.append(ChangeGroup("wires", "Wires", tuple(wires)))
    return tuple(groups)


def match_title(name: str, apart: Comparison | None) -> str:
    """Return a drum's name with what differs most, or that it matches."""
    if apart is None:
        return name
    audible = apart.audible
    if not audible:
        return f"{name} matches the record"
    words: dict[str, str] = {}
    for difference in audible:
        word = _word(difference)
        # Sustain and length can both be too long: the larger difference says it.
        words.setdefault(word.rpartition("too ")[2], word)
    return f"{name}: {' and '.join([*words.values()][:2])}"


def _word(d: Difference) -> str:
    much = (
        "much too "
        if abs(d.steps) > VERY_STEPS
        else "a little too "
        if abs(d.steps) < 2
        else "too "
    )
    words = {
        ("pitch", True): "high",
        ("pitch", False): "low",
        ("sustain", True): "long",
        ("sustain", False): "short",
        ("length", True): "long",
        ("length", False): "short",
        ("attack", True): "hard",
        ("attack", False): "soft",
        ("click", True): "bright",
        ("click", False): "dark",
        ("body", True): "full",
        ("body", False): "thin",
        ("ring", True): "ringy",
        ("ring", False): "dry",
        ("wires", True): "wiry",
        ("wires", False): "short of wires",
        ("bend", True): "falls too far",
        ("bend", False): "falls too little",
    }
    word = words.get((d.name, d.steps > 0))
    if d.name in ("bend", "wires") and word is not None and word != "wiry":
        return word
    if word is None:
        return changed_by(d.name, d.steps, amount=False)
    return much + word


def _subtitle(shown: Take | None) -> str:
    if shown is None or shown.comparison is None:
        return "No take yet. Record a few strokes as they will be played, soft to loud."
    audible = {d.name for d in shown.comparison.audible}
    available = [name for name in shown.comparison.differences if name not in audible]
    rest = (
        f" {_listed(available).capitalize()} match{'es' if len(available) == 1 else ''}."
        if available
        else ""
    )
    return f"Take {shown.number} against the record.{rest}"


def _listed(names: Sequence[str]) -> str:
    rows = list(names)
    return rows[0] if len(rows) == 1 else f"{', '.join(rows[:-1])} and {rows[-1]}"


def rulers_of(matched: Match, shown: Take) -> Markup:
    """Draw record, plan and a take on one ruler a quantity."""
    return ruler_drawing(matched.record, shown, matched.bench.plan.card)


def ruler_drawing(
    record: Target, shown: Take, planned: Mapping[str, Measured] | None = None
) -> Markup:
    """Draw record and take, and a plan if there is one, on one ruler a quantity."""
    rows = []
    apart = shown.comparison or Comparison({}, {})
    for name, step in steps().items():
        if name not in apart.differences and name not in apart.untold:
            continue
        matching = record.values.get(name)
        take = shown.target.values.get(name) if shown.target else None
        d = apart.differences.get(name)
        plan = (planned or {}).get(name)
        plan_steps = None
        if matching is not None and plan is not None and d is not None:
            low = min(matching.value, plan.value)
            if step.kind == "difference" or low > 0.0:
                plan_steps = step.apart(plan.value, matching.value)
        rows.append(
            MatchRow(
                name,
                number(matching.value, matching.unit, matching.sd) if matching else "",
                number(take.value, take.unit, take.sd) if take else "",
                d.steps if d else None,
                d.sd_steps if d else 0.0,
                plan_steps,
                d.is_audible if d else False,
                apart.untold.get(name, ""),
            )
        )
    return match_rulers(rows, f"take {shown.number}")


def _move_row(catalogue: Catalogue, move: Move, kind: Kind) -> MoveRow:
    known = sorted(move.effect.items(), key=lambda kv: -abs(kv[1]))[:4]
    effects = ", ".join(changed_by(name, e) for name, e in known)
    time = f"{move.minutes:g} min, back: {move.back}" if move.minutes else f"Back: {move.back}"
    buys = " Not on the shelf." if move.buys else ""
    gain = f"{move.gain:.1f} ± {move.gain_sd:.1f} steps nearer in all"
    by = (
        f"By the model and {counted(move.tried, 'change')} like it here"
        if move.tried
        else ("By the model")
    )
    text = f"{gain}. {by}, in steps: {effects}. {time}.{buys}"
    title = _move_title(catalogue, move.kind, move.what, kind)
    if move.then is not None:
        second = lower_first(_move_title(catalogue, *move.then, kind))
        text = f"Helps only together with a second change: {second}. Both: {text}"
    return MoveRow(move.kind, move.what, title, text, move.kind not in ("head", "port"))


def _move_title(catalogue: Catalogue, move: str, what: str, kind: Kind) -> str:
    if move == "force":
        share = float(what)
        much = "a little " if 0.8 < share < 1.3 else ""
        return f"Strike {much}{'harder' if share > 1 else 'softer'}"
    if move == "strike":
        return f"Strike with {lower_first(catalogue.strikers[what].name)}"
    if move == "wires":
        return _large(catalogue.wire_settings[what].name)
    if move == "damper":
        return _large(catalogue.damper(what).name)
    if move == "undamp":
        return f"Take off: {lower_first(catalogue.damper(what).name)}"
    if move == "turn":
        side, turns = what.split(" ")
        way = "up" if float(turns) > 0 else "down"
        names = {"both": "both heads", "reso": head_name(kind, "reso")}
        head = _large(names.get(side, side))
        return f"{head} {way} {turn_words(float(turns))} on every rod"
    return f"Another batter: {lower_first(catalogue.construction(what).name)}"


def _large(name: str) -> str:
    return name[:1].upper() + name[1:]


def _stop(matched: Match, apart: Comparison | None) -> str:
    if apart is None or matched.shown is None:
        return ""
    pitch = apart.differences.get("pitch")
    if pitch is not None and abs(pitch.steps) > FAR_STEPS:
        way = "under" if pitch.steps < 0 else "over"
        return (
            f"The pitch is {abs(pitch.steps):.0f} steps {way} the record's. Tune the drum to its "
            "plan in Bench first; nothing else will match before."
        )
    newest = matched.shown is matched.takes[-1]
    return no_move_words(apart) if not apart.audible or (not matched.moves and newest) else ""


def _leave_alone(matched: Match, apart: Comparison | None) -> tuple[str, ...]:
    rows = []
    voice = matched.analysed.voice(matched.bench.drum.voice or "")
    if voice is not None and voice.room_db is not None and voice.room_db > ROOM_DB:
        rows.append(
            "A good part of the record's length is its room, not the drum: stop chasing it."
        )
    if apart is not None:
        rows += [f"{name.capitalize()}, {why}." for name, why in apart.untold.items()]
    return tuple(rows)


def _soft_loud(shown: Take | None) -> str:
    if shown is None or shown.analysis is None:
        return ""
    card = next(iter(shown.analysis.voices), None)
    if card is None or card.soft is None or card.loud is None:
        return "Play it soft to loud in one take, and Emblar says whether it holds."
    off = []
    for name in ("attack", "click", "sustain", "ring"):
        soft, loud, step = card.soft.values.get(name), card.loud.values.get(name), steps()[name]
        if (
            soft is None
            or loud is None
            or (step.kind == "ratio" and min(soft.value, loud.value) <= 0)
        ):
            continue
        apart = step.apart(loud.value, soft.value)
        if abs(apart) > VERY_STEPS:
            off.append(f"{changed_by(name, apart, amount=False)} when loud")
    if not off:
        return "It holds from soft to loud in this take."
    return f"From soft to loud it changes: {', '.join(off)}."


def _at_tempo(matched: Match, shown: Take | None) -> str:
    """Return whether every note ends before the next at the session's fastest figure."""
    length = shown.target.values.get("length") if shown and shown.target else None
    gap = matched.gap_s
    if gap is None or length is None:
        return ""
    if abs(length.value - gap) <= length.sd:
        return f"Fastest notes are {gap:.2f} s apart: this ends just about then."
    if length.value < gap:
        return f"Fastest notes are {gap:.2f} s apart: each ends before the next."
    return (
        f"Fastest notes are {gap:.2f} s apart, and it takes {length.value:.2f} s to fall by 20 dB: "
        "the notes run together."
    )


def _journey(matched: Match, base: str, around: Frame) -> tuple[JourneyCard, ...]:
    cards, names = [], take_names(matched.takes)
    before = None
    for take in matched.takes:
        values = take.target.values if take.target else {}
        length, sustain = values.get("length"), values.get("sustain")
        words = f"{take.comparison.apart:.1f} steps off" if take.comparison else take.info.state
        cards.append(
            JourneyCard(
                take.info.id,
                take.info.setup_id or 0,
                f"Take {take.number}",
                _changed(around.catalogue, before, take, names),
                small_decay(
                    f"take-{take.number}",
                    length.value if length else None,
                    sustain.value if sustain else None,
                ),
                words,
                f"/sessions/{around.session.id}/match?sel={around.selection}&take={take.info.id}",
                f"{base}/pair/take.wav?take={take.info.id}",
                matched.shown is not None and take.info.id == matched.shown.info.id,
                take.info.setup_id == matched.bench.setup.id,
                f"{base}/setups/{take.info.setup_id}/picture.jpg" if take.picture else "",
                take.note,
            )
        )
        before = take
    return tuple(cards)


def take_names(takes: Sequence[Take]) -> dict[int, str]:
    """Return what setups with a take are called, by id: ``take 2, “the dark one”``."""
    names: dict[int, str] = {}
    for take in takes:
        description = f", “{take.note}”" if take.note else ""
        names.setdefault(take.info.setup_id or 0, f"take {take.number}{description}")
    return names


def _changed(
    catalogue: Catalogue, before: Take | None, take: Take, names: Mapping[int, str]
) -> str:
    """Return what changed since the take before, in a few words."""
    if take.setup is None:
        return ""
    back_to = take.setup.back_to
    if back_to is not None and back_to in names:
        return f"back to {names[back_to]}"
    if before is None or before.setup is None:
        return "the first"
    was, current = before.setup, take.setup
    rows = [
        f"+ {lower_first(catalogue.damper(d).name)}"
        for d in current.dampers
        if d not in was.dampers
    ]
    rows += [
        f"− {lower_first(catalogue.damper(d).name)}"
        for d in was.dampers
        if d not in current.dampers
    ]
    if current.striker and was.striker and current.striker != was.striker:
        rows.append(lower_first(catalogue.strikers[current.striker].name))
    if current.force != was.force:
        rows.append("struck harder" if current.force > was.force else "struck softer")
    if current.wires and was.wires and current.wires != was.wires:
        rows.append(lower_first(catalogue.wire_settings[current.wires].name))
    if current.batter.construction != was.batter.construction:
        rows.append(
            f"new batter, {lower_first(catalogue.construction(current.batter.construction).name)}"
        )
    if before.info.setup_id != take.info.setup_id and (current.turned or not rows):
        rows.append("turned")
    if not rows and take.info.filename != before.info.filename:
        # Another microphone of the same setup, mostly.
        return f"as before: {take.info.filename}"
    return ", ".join(rows) or "as before"
