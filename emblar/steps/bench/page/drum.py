"""What Bench shows: the one thing to do next, where the head stands, and the work ahead."""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Side
from emblar.core.acoustics.head import lug_pitch_from_tension
from emblar.core.acoustics.limits import stress_limits_pa
from emblar.core.catalogue import Catalogue
from emblar.core.naming import counted, lower_first
from emblar.core.notes import cents, spread_hz
from emblar.core.planning.kit import model, wearing
from emblar.core.planning.sentence import interval_words
from emblar.core.tuning.diagnosis import cause_texts
from emblar.core.tuning.procedure import Job, JobText, job_texts
from emblar.frame.words import left_words
from emblar.steps.bench.actions.state import TOLERANCE_CENTS, Bench, HeadWork
from emblar.steps.bench.drawing.bench_ladder import Rung, bench_ladder
from emblar.steps.bench.drawing.hoop import Hoop, about_mean, hoop
from emblar.steps.bench.drawing.rods import rods
from emblar.steps.bench.page.words import above_or_below, head_words, instruction
from emblar.steps.workspace.page import Frame

OTHER: dict[Side, Side] = {"batter": "reso", "reso": "batter"}
USUAL_TURN = 0.25
PAIR_CENTS = 10.0
CURES = {"snare": "If it chokes, or should be fatter", "tom": "If it chokes, or should smack"}
AGAIN = ("check reading", "tap again", "no effect")
"""Reasons of the next turns to tap again before anything is turned."""
OWN_WAY = {"listen": "strike", "wires": "wires", "dampers": "muffle"}
"""Jobs that are done in another way than by turning and tapping."""
LEAST_SPAN_S = 0.36
SPAN_PERIODS = 14.0
"""How much of a tap is recorded: so many periods of the goal, as a slack head is far below it."""
FIRST_ROD = {False: "rod 1 nearest you", True: "rod 1 at the badge"}
SLACK_NEIGHBOURS = (
    "Before each pass, finger-tighten any slack rod: tightening one loosens its neighbours."
)


@dataclass(frozen=True, slots=True)
class JobRow:
    """A job in the list of all."""

    id: str
    title: str
    state: str
    minutes: str
    current: bool
    note: str
    left: str = ""
    """Where its head was left, if that is off its goal."""


@dataclass(frozen=True, slots=True)
class RodField:
    """A rod's field when pitches are typed."""

    name: str
    label: str
    value: str


@dataclass(frozen=True, slots=True)
class HeadView:
    """The head being tuned: drawings, readings and what they show; empty if there is none."""

    hoop: Markup | None
    hoop_says: str
    rods: Markup | None
    numbers: str
    fields: tuple[RodField, ...]
    readings: tuple[str, ...]
    after: tuple[str, ...]
    this_drum: tuple[str, ...]
    by_feel: str


@dataclass(frozen=True, slots=True)
class Microphone:
    """Settings for the script that listens for taps."""

    span_s: float
    round: str
    """Names the work since the head was last turned: taps within it are read together."""
    goal_says: str


@dataclass(frozen=True, slots=True)
class BenchPage:
    """Everything the Bench screen shows of one drum.

    ``doing`` is ``"tap"``, ``"turn"``, ``"there"``, ``"strike"``, ``"wires"``, ``"muffle"``,
    ``"job"``, ``"refused"`` or ``"done"``.
    """

    title: str
    subtitle: str
    doing: str
    big: str
    then: str
    also: str
    job: Job | None
    side: Side | None
    rod: int | None
    head: HeadView
    microphone: Microphone
    ladder: Markup | None
    rows: tuple[JobRow, ...]
    progress: str
    caution: str
    stroke: tuple[tuple[str, tuple[str, ...]], ...]
    """What the last stroke gave away, each with what to check, the cheapest first."""
    session_id: int
    drum_id: int
    from_badge: bool
    word: str
    """The note on the drum, for the log."""
    cures: str
    """What the page of cures is called for this drum; empty for a kick."""
    back_to: str
    """The earlier setup it is being returned to, or empty."""

    @property
    def base(self) -> str:
        """Return the address of the drum's pages at the bench."""
        return f"/sessions/{self.session_id}/bench/{self.drum_id}"

    @property
    def hum(self) -> str:
        """Return the address of the page of drums that hum."""
        return f"/sessions/{self.session_id}/bench/hum?sel=d{self.drum_id}"

    @property
    def pair(self) -> str:
        """Return the address at which a phone is paired."""
        return f"/sessions/{self.session_id}/share/phone"


@dataclass(frozen=True, slots=True)
class Chosen:
    """What the user chose on the Bench screen.

    Parameters
    ----------
    head
        The head chosen in the first job.
    from_badge
        Whether rods are counted from the badge rather than from the player.
    tapped
        Rods tapped since the head was last turned, from 0, in that order; some not read yet.
    """

    head: str = ""
    from_badge: bool = False
    tapped: tuple[int, ...] = ()


NOTHING_CHOSEN = Chosen()


def bench_page(current: Bench, around: Frame, chosen: Chosen = NOTHING_CHOSEN) -> BenchPage:
    """Return the Bench screen of a drum."""
    job, owned = current.job, current.drum.owned
    side = _side_at(current, chosen.head)
    tuned_head = current.heads.get(side) if side else None
    text = _text(around.catalogue, current, job)
    doing, rod = _doing(job, tuned_head, chosen.tapped)
    big, then, also = instruction(current, job, tuned_head, doing, rod, text)
    drawn = tuned_head if tuned_head is not None and job is not None and _taps(job) else None
    name = head_words(current, side) if side and drawn else ""
    return BenchPage(
        title=f"{owned.name}, {name}" if name else owned.name,
        subtitle=_subtitle(current, job, text, side if drawn else None),
        doing=doing,
        big=big,
        then=then.format(first=FIRST_ROD[chosen.from_badge]) if doing == "tap" else then,
        also=also,
        job=job,
        side=side,
        rod=rod,
        head=_head_view(current, drawn, doing, rod, badge=chosen.from_badge),
        microphone=_microphone(current, side, tuned_head),
        ladder=_ladder(around.catalogue, current, side),
        rows=_rows(around.catalogue, current),
        progress=_progress(current),
        caution=text.caution if text else "",
        stroke=_stroke(current),
        session_id=around.session.id,
        drum_id=current.drum.id,
        from_badge=chosen.from_badge,
        word=current.setup.note,
        cures=CURES.get(owned.kind, ""),
        back_to=_back_to(current),
    )


def _head_view(
    current: Bench, drawn: HeadWork | None, doing: str, rod: int | None, *, badge: bool
) -> HeadView:
    count, job = current.drum.owned.rods, current.job
    return HeadView(
        hoop=_hoop(current, drawn, doing, rod) if drawn else None,
        hoop_says=_hoop_says(drawn) if drawn else "",
        rods=rods(count, rod, _later_rods(drawn, rod), badge=badge) if drawn else None,
        numbers=_numbers(drawn),
        fields=_fields(drawn),
        readings=_reading_words(drawn),
        after=_after(drawn) if job is not None and job.tunes else (),
        this_drum=_this_drum(current, drawn),
        by_feel=_by_feel(drawn),
    )


def _microphone(current: Bench, side: Side | None, head: HeadWork | None) -> Microphone:
    goal, job = head.goal_hz if head else 0.0, current.job
    return Microphone(
        span_s=max(LEAST_SPAN_S, SPAN_PERIODS / goal) if goal else LEAST_SPAN_S,
        round=f"{job.id if job else ''}/{side}/{head.rounds if head else 0}",
        goal_says=f"{goal:.0f} Hz" if goal else "",
    )


def _back_to(current: Bench) -> str:
    """Return the message shown while a drum is returned to an earlier setup."""
    if current.back_to is None:
        return ""
    lugs = current.back_to.lug_hz
    stood = " and ".join(f"{head_words(current, side)} {hz:.0f} Hz" for side, hz in lugs.items())
    return f"Going back to an earlier setup: {stood}, as the drum stood then."


def _taps(job: Job) -> bool:
    return job.tunes or job.id == "as-found"


def _side_at(current: Bench, head: str) -> Side | None:
    job = current.job
    if job is None:
        return None
    if job.side is not None:
        return job.side
    if job.id != "as-found":
        return None
    chosen: Side | None = next((s for s in current.heads if s == head), None)
    # Round each head once: the one that still has rods to read comes first.
    open_heads = [s for s in ("batter", "reso") if s in current.heads and current.heads[s].unread]
    return chosen or (open_heads[0] if open_heads else "batter")


def _doing(
    job: Job | None, tuned_head: HeadWork | None, tapped: tuple[int, ...]
) -> tuple[str, int | None]:
    """Return what is to be done, and at which rod, from 0."""
    if job is None:
        return "done", None
    if job.id in OWN_WAY:
        return OWN_WAY[job.id], None
    if tuned_head is None or not _taps(job):
        return "job", None
    if tuned_head.turning is not None and job.tunes:
        return "turn", tuned_head.turning.left[0]
    if tuned_head.unread:
        # Move on after each tap, read or not; unread rods come again at the end.
        waiting = {rod: order for order, rod in enumerate(tapped)}
        return "tap", min(tuned_head.unread, key=lambda rod: waiting.get(rod, -1))
    if job.tunes and tuned_head.refusal:
        return "refused", None
    if job.tunes and tuned_head.advice is not None and tuned_head.advice.why in AGAIN:
        return "tap", _next_again(tuned_head)
    if job.tunes and tuned_head.advice is not None and tuned_head.advice.why == "turn":
        return "turn", tuned_head.advice.order[0]
    return "there", None


def _next_again(tuned_head: HeadWork) -> int:
    """Return the rod to tap again, from 0: a suspect one, else the next of another round."""
    if tuned_head.advice is not None and tuned_head.advice.tap_again:
        return tuned_head.advice.tap_again[0]
    return min(range(len(tuned_head.taps)), key=lambda rod: tuned_head.taps[rod])


def _text(catalogue: Catalogue, current: Bench, job: Job | None) -> JobText | None:
    """Return a job's text with what it is about filled in."""
    if job is None:
        return None
    raw = job_texts()[job.text].on(current.drum.owned.kind, job.side)
    tuned_head = current.heads.get(job.side) if job.side else None
    words = {
        "head": head_words(current, job.side) if job.side else "",
        "other": head_words(current, OTHER[job.side]) if job.side else "",
        "made": _made(catalogue, tuned_head.planned) if tuned_head and tuned_head.planned else "",
        "goal": f"{tuned_head.goal_hz:.0f} Hz" if tuned_head else "",
        "dampers": _listed([catalogue.damper(d).name for d in current.plan.dampers]),
        "wires": catalogue.wire_settings[current.plan.wires].name.lower(),
    }
    filled = {n: getattr(raw, n).format(**words) for n in ("title", "what", "expect", "caution")}
    title = filled["title"]
    filled["title"] = title[:1].upper() + title[1:]
    return JobText(minutes=raw.minutes, **filled)


def _made(catalogue: Catalogue, construction_id: str) -> str:
    name = catalogue.construction(construction_id).name
    return lower_first(name)


def _listed(names: Sequence[str]) -> str:
    rows = [lower_first(name) for name in names]
    return " and ".join(rows) if rows else "nothing"


def _subtitle(current: Bench, job: Job | None, text: JobText | None, side: Side | None) -> str:
    if job is None or text is None:
        return f"{counted(len(current.jobs), 'job')} done"
    number = current.jobs.index(job) + 1
    parts = [f"Job {number} of {len(current.jobs)}: {lower_first(text.title)}"]
    if side is not None and "reso" in current.heads:
        parts.append(f"{head_words(current, OTHER[side])} silenced on the towel")
    return " · ".join(parts)


def _later_rods(tuned_head: HeadWork | None, rod: int | None) -> tuple[int, ...]:
    if tuned_head is None:
        return ()
    if tuned_head.turning is not None:
        return tuple(r for r in tuned_head.turning.left if r != rod)
    if not tuned_head.unread and tuned_head.advice is not None:
        return tuple(r for r in tuned_head.advice.order if r != rod)
    return ()


def _cents(tuned_head: HeadWork) -> list[float | None]:
    return [None if r is None else cents(r.hz, tuned_head.goal_hz) for r in tuned_head.readings]


def _hoop(current: Bench, tuned_head: HeadWork, doing: str, rod: int | None) -> Markup:
    known = _cents(tuned_head)
    if all(c is None for c in known) and tuned_head.state is not None and tuned_head.state.read:
        # Just turned: where each rod should be now, until it is tapped.
        known = [None] * len(known)
    up = None
    if doing == "turn" and rod is not None:
        turns = (
            tuned_head.turning.turns
            if tuned_head.turning is not None
            else tuned_head.advice.turns
            if tuned_head.advice
            else ()
        )
        up = turns[rod] > 0.0
    return hoop(Hoop(known, TOLERANCE_CENTS[current.drum.owned.kind], rod, up))


def _hoop_says(tuned_head: HeadWork) -> str:
    mean = about_mean(Hoop(_cents(tuned_head), 0.0))
    tied = " Brackets tie rods that face each other and share their pitch."
    if len(tuned_head.readings) % 2:
        tied = ""
    if mean is not None:
        far = f"the goal is {abs(mean):.0f} ct {'higher' if mean < 0 else 'lower'}"
        return f"The hoop unrolled, cents from its own mean; {far}. Shaded: inaudible.{tied}"
    return f"The hoop unrolled, cents from the goal. Shaded: inaudible.{tied}"


def _numbers(tuned_head: HeadWork | None) -> str:
    if tuned_head is None or tuned_head.hz is None or tuned_head.advice is None:
        return f"goal {tuned_head.goal_hz:.1f} Hz" if tuned_head is not None else ""
    known = [c for c in _cents(tuned_head) if c is not None]
    spread = max(known) - min(known) if known else tuned_head.advice.spread_cents
    off = cents(tuned_head.hz, tuned_head.goal_hz)
    far = f" · {interval_words(off)}" if abs(off) >= 90.0 else ""
    return f"mean {tuned_head.hz:.1f} of {tuned_head.goal_hz:.1f} Hz{far} · spread {spread:.0f} ct"


def _ladder(catalogue: Catalogue, current: Bench, side: Side | None) -> Markup:
    rungs = []
    for own_side, head in current.heads.items():
        name = head_words(current, own_side)
        goal = (
            "then" if current.back_to is not None and own_side in current.back_to.lug_hz else "plan"
        )
        rungs.append(Rung(head.goal_hz, f"{name}, {goal} {head.goal_hz:.0f}", "plan"))
        if head.hz is not None:
            rungs.append(Rung(head.hz, f"{name} now {head.hz:.0f}", "take"))
    doubt = spread_hz(current.pitch.hz, current.pitch.sd_cents)
    rungs.append(
        Rung(current.pitch.hz, f"drum, plan {current.pitch.hz:.0f} ± {doubt:.0f} Hz", "plan")
    )
    if current.measured is not None:
        rungs.append(Rung(current.measured.hz, f"drum now {current.measured.hz:.1f}", "take"))
    record = current.plan.target.get("pitch")
    if record is not None:
        rungs.append(Rung(record.value, f"record {record.value:.1f}", "record"))
    return bench_ladder(rungs, _caution_hz(catalogue, current, side) if side else None)


def _caution_hz(catalogue: Catalogue, current: Bench, side: Side) -> float | None:
    k = prior_coefficients()
    reso = current.heads["reso"].made if "reso" in current.heads else None
    drum = model(
        catalogue,
        wearing(current.drum.owned, reso, current.plan.port_in),
        batter=current.heads["batter"].made,
    )
    film = drum.film(side)
    if film is None:
        return None
    caution = stress_limits_pa(drum.kind, side, k)[0] * film.thickness_m
    return lug_pitch_from_tension(drum, side, caution, k)


def _fields(tuned_head: HeadWork | None) -> tuple[RodField, ...]:
    if tuned_head is None:
        return ()
    return tuple(
        RodField(f"rod-{i + 1}", f"Rod {i + 1}", f"{reading.hz:.1f}" if reading else "")
        for i, reading in enumerate(tuned_head.readings)
    )


def _rows(catalogue: Catalogue, current: Bench) -> tuple[JobRow, ...]:
    rows = []
    for job in current.jobs:
        text, done = _text(catalogue, current, job), current.done.get(job.id)
        left = _left_at(current, job) if done else ""
        state = "left" if left else done.state if done else "open"
        rows.append(
            JobRow(
                job.id,
                text.title if text else job.id,
                state,
                f"{job.minutes:g} min",
                job == current.job,
                done.note if done else "",
                left,
            )
        )
    return tuple(rows)


def _left_at(current: Bench, job: Job) -> str:
    """Return where the head of a tuning job was left, if that is off its goal."""
    head = current.heads.get(job.side) if job.side and job.tunes else None
    if head is None or head.last_hz is None or head.off_cents is None:
        return ""
    return left_words(head.last_hz, head.off_cents)


def _progress(current: Bench) -> str:
    done = len([job for job in current.jobs if job.id in current.done])
    left = f", about {current.minutes_left:.0f} min left" if current.minutes_left else ""
    return f"{done} of {len(current.jobs)} jobs done{left}"


def _reading_words(tuned_head: HeadWork | None) -> tuple[str, ...]:
    if tuned_head is None:
        return ()
    known = [r for r in tuned_head.readings if r is not None]
    if not known:
        return ()
    how = {"microphone": "by microphone", "clip": "from a clip", "typed": "typed", "practice": ""}
    ways = " and ".join(dict.fromkeys(how[r.how] for r in known if how[r.how]))
    missing = f"; {counted(len(tuned_head.unread), 'rod')} without" if tuned_head.unread else ""
    return (f"{counted(len(known), 'reading')} {ways} since the last turn{missing}.",)


def _after(tuned_head: HeadWork | None) -> tuple[str, ...]:
    if (
        tuned_head is None
        or tuned_head.advice is None
        or tuned_head.advice.why != "turn"
        or tuned_head.hz is None
    ):
        return ()
    goal, result = tuned_head.goal_hz, tuned_head.advice
    hz = goal * 2.0 ** (result.after_mean_cents / 1200.0)
    return (
        f"Mean {tuned_head.hz:.1f} → {hz:.1f} Hz, spread about {result.after_spread_cents:.0f} ct. "
        "Then tap round again: a hand never turns exactly as far as asked.",
    )


def _this_drum(current: Bench, tuned_head: HeadWork | None) -> tuple[str, ...]:
    rows = []
    if tuned_head is not None and tuned_head.state is not None:
        quarter = tuned_head.state.gain * USUAL_TURN
        ct = 600.0 * quarter / max(float(tuned_head.state.tensions.mean()), 0.05) / 0.6931
        doubt = ct * tuned_head.state.gain_sd
        learned = "learned on this drum" if tuned_head.rounds else "as on drums of its kind"
        rows.append(f"A quarter turn of every rod: {ct:.0f} ± {doubt:.0f} ct, {learned}.")
    before = spread_hz(current.before.hz, current.before.sd_cents)
    after = spread_hz(current.pitch.hz, current.pitch.sd_cents)
    if current.strokes:
        rows.append(
            f"Drum pitch known to ± {after:.1f} Hz, ± {before:.1f} before the first stroke read."
        )
        if abs(current.offset_cents) >= 3.0:
            rows.append(
                f"It sounds {abs(current.offset_cents):.0f} ct "
                f"{above_or_below(current.offset_cents)} the model: both heads' goals moved by as "
                "much the other way."
            )
    else:
        rows.append(
            f"Drum pitch known to ± {before:.1f} Hz until a stroke is read with both heads tapped."
        )
    return (*rows, *_matched(current))


def _matched(current: Bench) -> tuple[str, ...]:
    """Say how far the drum lies from those that play the same part."""
    if current.measured is None:
        return tuple(
            f"{name} sounds at {hz:.1f} Hz and plays the same part: a pair must match."
            for name, hz in current.pair
        )
    rows = []
    for name, hz in current.pair:
        off = cents(current.measured.hz, hz)
        known = f"{abs(off):.0f} ct {above_or_below(off)} it" if abs(off) >= PAIR_CENTS else "on it"
        rows.append(f"{name} sounds at {hz:.1f} Hz; this one is {known}. A pair must match.")
    return tuple(rows)


def _stroke(current: Bench) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """Return what the last stroke gave away, in words."""
    rows = []
    for cause in current.causes:
        text = cause_texts().get(cause.id)
        if text is None:
            continue
        n = cause.numbers
        words = {
            "hz": f"{n.get('hz', 0.0):.1f}",
            "ct": f"{abs(n.get('ct', 0.0)):.0f}",
            "ms": f"{n.get('ms', 0.0):.0f}",
            "share": f"{100.0 * n.get('share', 0.0):.0f} %",
            "semitones": f"{n.get('semitones', 0.0):.0f}",
            "head": head_words(current, cause.head) if cause.head else "head",
        }
        description = f"{text.symptom} {text.mostly}".format(**words)
        rows.append((description, text.checks))
    return tuple(rows)


def _by_feel(tuned_head: HeadWork | None) -> str:
    """Name the pair whose difference taps cannot show and that may be large."""
    if (
        tuned_head is None
        or tuned_head.state is None
        or not tuned_head.state.read
        or len(tuned_head.readings) % 2
    ):
        return SLACK_NEIGHBOURS if tuned_head is not None else ""
    count = tuned_head.state.rods
    tensions = tuned_head.state.tensions
    apart = [abs(float(tensions[i] - tensions[i + count // 2])) for i in range(count // 2)]
    pair = max(range(count // 2), key=lambda i: apart[i])
    if apart[pair] < 0.08:
        return SLACK_NEIGHBOURS
    loose = pair if tensions[pair] < tensions[pair + count // 2] else pair + count // 2
    return (
        f"Rods {pair + 1} and {pair + count // 2 + 1} may hide a difference that taps cannot show: "
        f"if {loose + 1} feels looser, take it up by finger first."
    )
