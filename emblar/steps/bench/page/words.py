"""The words at the bench: the one thing to do now, and what comes after it."""

from emblar.core.acoustics.drum import Side
from emblar.core.acoustics.limits import head_name
from emblar.core.naming import counted, lower_first
from emblar.core.notes import cents, nearest_note
from emblar.core.tuning.next_turns import NextTurns
from emblar.core.tuning.procedure import Job, JobText
from emblar.formats.turn_words import WHY_DONE, down_words, move_words, turn_words
from emblar.frame.words import left_words
from emblar.steps.bench.actions.state import Bench, HeadWork


def head_words(state: Bench, side: Side) -> str:
    """Return the name of a head of this drum."""
    return head_name(state.drum.owned.kind, side)


def instruction(
    state: Bench,
    job: Job | None,
    tuned_head: HeadWork | None,
    doing: str,
    rod: int | None,
    text: JobText | None,
) -> tuple[str, str, str]:
    """Return the one thing to do, what comes after it, and what is good to know."""
    if job is None or text is None:
        return _end_words(state)
    if doing == "turn" and tuned_head is not None and rod is not None:
        return _turn_words(tuned_head, rod)
    if doing == "refused" and tuned_head is not None:
        return "Stop.", tuned_head.refusal, "Change the pitch in Plan, or choose another head."
    if (
        doing == "tap"
        and tuned_head is not None
        and rod is not None
        and not tuned_head.unread
        and tuned_head.advice
    ):
        return _again_words(tuned_head, tuned_head.advice, rod)
    if doing == "tap" and tuned_head is not None and rod is not None:
        if len(tuned_head.unread) == state.drum.owned.rods and rod == 0:
            return (
                "Tap round",
                f"the {head_words(state, tuned_head.side)}, {{first}} first",
                text.what,
            )
        left = sum(other >= rod for other in tuned_head.unread)
        return f"Tap rod {rod + 1}", f"{counted(left, 'rod')} to go", ""
    if doing == "there" and tuned_head is not None:
        return _there_words(state, job, tuned_head)
    if doing == "strike":
        if state.measured is None:
            return "Strike once", "in the middle, firmly, and let it ring", text.expect
        off = cents(state.measured.hz, state.plan.card["pitch"].value)
        way = (
            "on the planned note"
            if abs(off) < 8
            else f"{abs(off):.0f} ct {above_or_below(off)} the plan"
        )
        return (
            f"{state.measured.hz:.1f} Hz",
            f"{nearest_note(state.measured.hz)[0]}, {way}",
            text.expect,
        )
    return text.title, text.what, text.expect


def _again_words(tuned_head: HeadWork, advice: NextTurns, rod: int) -> tuple[str, str, str]:
    """Return why taps are wanted again before anything is turned."""
    if advice.why == "check reading":
        reading = tuned_head.readings[rod]
        hz = f"{reading.hz:.0f} Hz is" if reading is not None else "Its reading is"
        return f"Tap rod {rod + 1} again", f"{hz} too far from the other rods to be right.", ""
    if advice.why == "no effect":
        what, check = WHY_DONE["no effect"].split(" Check: ", 1)
        return "Stop and look.", what, f"{check[:1].upper()}{check[1:]}"
    return f"Tap rod {rod + 1} again", "The readings are not sure enough to turn yet.", ""


def _end_words(state: Bench) -> tuple[str, str, str]:
    """Return the message shown when every job is done."""
    off = [
        f"{head_words(state, side)} {left_words(head.last_hz, head.off_cents)}"
        for side, head in state.heads.items()
        if head.last_hz is not None and head.off_cents is not None
    ]
    if not off:
        return "Done.", "Compare it with the record in Match.", ""
    left = "; ".join(off)
    return "Not tuned yet.", f"{left[:1].upper()}{left[1:]}.", "Open its job below to continue."


def above_or_below(off: float) -> str:
    """Return the word for the sign of a difference."""
    return "above" if off > 0 else "below"


def _turn_words(tuned_head: HeadWork, rod: int) -> tuple[str, str, str]:
    turns = (
        tuned_head.turning.turns
        if tuned_head.turning is not None
        else tuned_head.advice.turns
        if tuned_head.advice
        else ()
    )
    left = (
        tuned_head.turning.left
        if tuned_head.turning is not None
        else list(tuned_head.advice.order)
        if tuned_head.advice
        else []
    )
    big = move_words(rod, turns[rod])
    if len(left) < 2:
        return big, "then tap round again", ""
    after = left[1]
    across = len(turns) % 2 == 0 and abs(after - rod) == len(turns) // 2
    then = move_words(after, turns[after])
    then = lower_first(then)
    if across:
        then = then.replace(":", ", across from it:")
    more = f", then {len(left) - 2} more" if len(left) > 2 else ""
    untouched = len(turns) - len([t for t in turns if t])
    rest = " Leave the rest." if untouched and not more else ""
    down = down_words() if turns[rod] < 0.0 else ""
    return big, f"then {then}{more}.{rest}", down


def _there_words(state: Bench, job: Job, tuned_head: HeadWork) -> tuple[str, str, str]:
    if job.id == "as-found":
        turns = tuned_head.left_turns
        name = head_words(state, tuned_head.side)
        hz = f"{tuned_head.hz:.0f} Hz" if tuned_head.hz else ""
        if tuned_head.made != tuned_head.planned:
            return hz, f"The {name} will be replaced: the plan calls for another head.", ""
        if turns is None or abs(turns) < 1.0 / 16.0:
            return hz, f"The {name} is where the plan wants it. It can stay as it is.", ""
        way = "up" if turns > 0 else "down"
        size = turn_words(max(round(abs(turns) * 8) / 8, 1 / 8))
        return hz, f"The {name} is about {size} of a turn on every rod from the plan, {way}.", ""
    why = tuned_head.advice.why if tuned_head.advice is not None else "there"
    words = WHY_DONE.get(why, WHY_DONE["there"])
    big = {"there": "Tuned.", "as near as it gets": "Near enough."}.get(why, "Stop and look.")
    return big, words.split(": ", 1)[-1][:1].upper() + words.split(": ", 1)[-1][1:], ""
