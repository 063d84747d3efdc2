"""Corrections from several windows: none lost, none on another stroke; untouched numbers stay."""

import threading
from functools import partial

import pytest

from emblar.core.analysis.corrections import Seen
from emblar.core.errors import ConflictError, EmblarError, InputError
from emblar.formats.analysis import AnalysisFile
from emblar.platform.database import transaction
from emblar.platform.studio import HERE
from emblar.steps.listen import queries as recordings
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.listen.actions import strokes
from emblar.steps.listen.actions.measuring import measured_record, run_measuring
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from tests.recordings import encoded, short_groove

pytestmark = pytest.mark.usefixtures("database")


def found(session: int) -> AnalysisFile:
    heard = measured_record(HERE, session)
    assert heard is not None
    return heard.analysis


def at_once(*jobs: object) -> list[Exception]:
    """Run jobs in threads that start together; return what they raised."""
    gate = threading.Barrier(len(jobs))
    raised: list[Exception] = []

    def run(job: object) -> None:
        gate.wait()
        try:
            job()  # type: ignore[operator]
        except EmblarError as error:
            raised.append(error)

    threads = [threading.Thread(target=run, args=(job,)) for job in jobs]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return raised


def test_two_corrections_at_once_both_count(heard: int) -> None:
    hats = [Seen(h.time_s, h.voice) for h in found(heard).hits if h.voice == "hat"][:4]
    raised = at_once(*(lambda s=s: strokes.move_strokes(HERE, heard, [s], "cymbal") for s in hats))
    assert raised == []
    assert sum(h.voice == "cymbal" for h in found(heard).hits) == 4
    last = strokes.last_correction(HERE, heard)
    assert last is not None
    assert last.count == 4
    for _ in range(4):
        strokes.take_back(HERE, heard)
    assert not any(h.voice == "cymbal" for h in found(heard).hits)


def test_the_same_stroke_moved_twice_is_moved_once_and_the_second_told(heard: int) -> None:
    hat = next(Seen(h.time_s, h.voice) for h in found(heard).hits if h.voice == "hat")
    raised = at_once(
        *(lambda: strokes.move_strokes(HERE, heard, [hat], "cymbal") for _ in range(2))
    )
    assert [type(e) for e in raised] == [ConflictError]
    assert sum(h.voice == "cymbal" for h in found(heard).hits) == 1


def test_a_window_that_is_behind_corrects_no_other_stroke(heard: int) -> None:
    before = found(heard)
    seen = next(Seen(h.time_s, h.voice) for h in before.hits if h.voice == "hat")
    strokes.take_out_strokes(HERE, heard, [seen])
    now = found(heard).hits
    with pytest.raises(ConflictError, match="not there any more"):
        strokes.move_strokes(HERE, heard, [seen], "cymbal")
    assert bool(found(heard).hits == now)


def test_undo_takes_back_the_correction_that_was_seen_and_no_other(heard: int) -> None:
    strokes.put_in_stroke(HERE, heard, 2.95, "cymbal")
    seen = strokes.last_correction(HERE, heard)
    strokes.put_in_stroke(HERE, heard, 4.95, "cymbal")
    assert seen is not None
    with pytest.raises(ConflictError, match="meanwhile"):
        strokes.take_back(HERE, heard, seen.count)
    assert sum(h.voice == "cymbal" for h in found(heard).hits) == 2


def test_the_same_stroke_is_not_added_twice(heard: int) -> None:
    strokes.put_in_stroke(HERE, heard, 2.95, "cymbal")
    with pytest.raises(InputError, match="already"):
        strokes.put_in_stroke(HERE, heard, 2.95, "cymbal")


@pytest.mark.parametrize("kind", ["drums", "auto", "mix"])
def test_a_correction_changes_no_number_of_drums_it_does_not_touch(kind: str) -> None:
    session = start_session(HERE, SessionBrief("Kept")).id
    data = encoded(short_groove(), "FLAC")
    listen.run_analysis(listen.bring_recording(HERE, session, "a.flac", data, kind).id)
    before = found(session)
    assert before.decided is not None
    hat = next(Seen(h.time_s, h.voice) for h in before.hits if h.voice == "hat")
    strokes.move_strokes(HERE, session, [hat], "cymbal")
    after = found(session)
    assert after.decided == before.decided
    for voice in ("kick", "snare", "tom-1"):
        old, new = (next(v for v in f.voices if v.voice == voice) for f in (before, after))
        assert bool(old == new), voice
    touched = {hat.time_s}
    stayed = [[h for h in f.hits if h.time_s not in touched] for f in (before, after)]
    assert bool(stayed[0] == stayed[1])
    strokes.take_back(HERE, session)
    hats = [next(v for v in f.voices if v.voice == "hat") for f in (before, found(session))]
    # Times are kept to 10 µs.
    assert hats[0].attack_db == pytest.approx(hats[1].attack_db, abs=0.05)
    assert hats[0].click_hz == pytest.approx(hats[1].click_hz, rel=1e-3)


def test_a_hundred_pairs_at_once_lose_nothing_and_do_nothing_twice(heard: int) -> None:
    hats = [Seen(h.time_s, h.voice) for h in found(heard).hits if h.voice == "hat"][:2]
    kicks = [Seen(h.time_s, h.voice) for h in found(heard).hits if h.voice == "kick"][:1]
    done, conflicts = 0, 0
    for round_ in range(100):
        kind = round_ % 3
        if kind == 0:
            jobs = [partial(strokes.move_strokes, HERE, heard, [h], "cymbal") for h in hats]
        elif kind == 1:
            revision = strokes.last_correction(HERE, heard)
            seen = revision.count if revision else None
            jobs = [partial(strokes.take_back, HERE, heard, seen)] * 2
        else:
            jobs = [
                partial(strokes.take_back, HERE, heard),
                partial(strokes.move_strokes, HERE, heard, kicks, "snare"),
            ]
        raised = at_once(*jobs)
        done += len(jobs) - len(raised)
        conflicts += len(raised)
        assert all(isinstance(e, ConflictError | InputError) for e in raised)
        if kind == 2:
            while strokes.last_correction(HERE, heard):
                strokes.take_back(HERE, heard)
                done += 1
    last = strokes.last_correction(HERE, heard)
    with transaction() as db:
        record = recordings.shown(db, heard)
        assert record is not None
        assert recordings.revision(db, record.id) == done, "each is an event, and once"
    assert last is None or last.count == done
    assert conflicts >= 30, "of two that undo the same one is told"


def test_numbers_follow_and_until_then_it_is_said(heard: int) -> None:
    before = found(heard)
    hat = next(Seen(h.time_s, h.voice) for h in before.hits if h.voice == "hat")
    strokes.move_strokes(HERE, heard, [hat], "cymbal")
    now = listen.analysed_record(HERE, heard)
    assert now is not None
    assert now.analysis.measuring == ["cymbal", "hat"]
    cymbal = now.voice("cymbal")
    assert cymbal is not None
    assert cymbal.attack_db is None
    assert cymbal.reasons["attack_db"] == "it is being measured"
    hat_card = now.voice("hat")
    assert hat_card is not None
    assert (cymbal.hits, hat_card.hits) == (1, sum(h.voice == "hat" for h in before.hits) - 1)
    run_measuring(now.recording.id)
    then = listen.analysed_record(HERE, heard)
    assert then is not None
    assert then.analysis.measuring == []
    assert then.voice("cymbal").attack_db is not None  # type: ignore[union-attr]


def test_a_drum_that_is_not_there_is_removed_everywhere_and_undone(heard: int) -> None:
    before = found(heard)
    assert "Hat removed" in strokes.remove_voice(HERE, heard, "hat")
    assert {v.voice for v in found(heard).voices} == {v.voice for v in before.voices} - {"hat"}
    assert "made cymbal" in strokes.rename_voice(HERE, heard, "kick", "cymbal")
    for _ in range(2):
        strokes.take_back(HERE, heard)
    assert bool(
        [(h.time_s, h.voice) for h in found(heard).hits]
        == [(h.time_s, h.voice) for h in before.hits]
    )
