"""Several files of one record, named regions, evidence by hand."""

import numpy as np
import pytest

from emblar.core.analysis.corrections import Seen
from emblar.core.errors import InputError
from emblar.core.synthesis.low_ferry import low_ferry_voices
from emblar.core.synthesis.stroke import render_stroke
from emblar.formats.analysis import VoiceFile
from emblar.platform.studio import HERE
from emblar.steps.listen.actions import files as listen_files
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.listen.actions import strokes
from emblar.steps.listen.actions.measuring import measured_record
from emblar.steps.listen.page.record import listen_page
from emblar.steps.log.actions import evidence
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from emblar.steps.workspace.routes import load
from tests.kept import Once
from tests.recordings import RATE, encoded, short_groove

pytestmark = pytest.mark.usefixtures("database")


@pytest.fixture
def session(once: Once, groove: bytes) -> int:
    def make() -> int:
        found = start_session(HERE, SessionBrief("Low Ferry")).id
        bring(found, "mix.flac", groove, "mix")
        return found

    return once.made("mix", make)


def bring(session: int, name: str, data: bytes, kind: str, **more: object) -> int:
    recording = listen.bring_recording(HERE, session, name, data, kind, **more)  # type: ignore[arg-type]
    listen.run_analysis(recording.id)
    return recording.id


def one_stroke(voice: str) -> bytes:
    drum = low_ferry_voices()[voice]
    sound = render_stroke(drum, sample_rate_hz=RATE, force=1.0, rng=np.random.default_rng(3))
    return encoded(np.concatenate([np.zeros(2000), 0.5 * sound])[:, None])


def found(session: int) -> listen.AnalysedRecord:
    heard = measured_record(HERE, session)
    assert heard is not None
    return heard


def card(session: int, voice: str) -> VoiceFile:
    card = found(session).voice(voice)
    assert card is not None
    return card


def test_a_stem_is_shown_before_the_mix_and_another_record_replaces_both(
    session: int, groove: bytes
) -> None:
    bring(session, "drums.flac", encoded(0.5 * short_groove(), "FLAC"), "drums", keep_others=True)
    assert found(session).recording.filename == "drums.flac"
    assert [f.filename for f in found(session).files] == ["mix.flac", "drums.flac"]
    bring(session, "other.flac", encoded(0.4 * short_groove(), "FLAC"), "drums")
    assert [f.filename for f in found(session).files] == ["other.flac"]


def test_a_single_stroke_takes_over_its_drums_card_until_taken_away(session: int) -> None:
    before = card(session, "tom-1")
    file = bring(session, "tom.wav", one_stroke("tom-1"), "hit", keep_others=True, voice="tom-1")
    after = card(session, "tom-1")
    assert after.hits == 1
    assert found(session).recording.filename == "mix.flac"
    assert {h.voice for h in found(session).analysis.hits} >= {"kick", "snare", "tom-1"}
    listen.remove_file(HERE, session, file)
    assert card(session, "tom-1") == before
    listen.bring_file_back(HERE, session, file)
    assert card(session, "tom-1") == after


def test_every_file_of_a_record_can_be_opened_and_corrected(session: int) -> None:
    mix = found(session).recording.id
    stem = encoded(0.5 * short_groove(), "FLAC")
    drums = bring(session, "drums.flac", stem, "drums", keep_others=True)
    whole = len(found(session).analysis.hits)
    hat = next(h for h in found(session).analysis.hits if h.voice == "hat")
    strokes.take_out_strokes(HERE, session, [Seen(hat.time_s, "hat")])
    listen.open_file(HERE, session, mix)
    assert found(session).recording.id == mix
    assert strokes.last_correction(HERE, session) is None
    listen.open_file(HERE, session, drums)
    assert strokes.take_back(HERE, session).startswith("Undone")
    assert len(found(session).analysis.hits) == whole


def test_a_mix_keeps_its_drumless_rest_when_a_stem_comes_beside_it(session: int) -> None:
    rest = listen_files.stem_file(HERE, session, "drumless").data
    stem = encoded(0.5 * short_groove(), "FLAC")
    bring(session, "drums.flac", stem, "drums", keep_others=True)
    assert listen_files.stem_file(HERE, session, "drumless").data == rest
    assert listen_files.stem_file(HERE, session, "drums").data == stem


def test_a_drum_is_removed_from_all_files_and_comes_back_in_all(session: int) -> None:
    mix = found(session).recording.id
    stem = encoded(0.5 * short_groove(), "FLAC")
    drums = bring(session, "drums.flac", stem, "drums", keep_others=True)
    assert strokes.remove_voice(HERE, session, "hat").endswith("in 2 files")

    def hats() -> list[int]:
        counts = []
        for file in (mix, drums):
            listen.open_file(HERE, session, file)
            counts.append(sum(h.voice == "hat" for h in found(session).analysis.hits))
        return counts

    assert hats() == [0, 0]
    strokes.take_back(HERE, session)
    assert min(hats()) > 0


def test_a_file_of_another_record_is_not_opened(session: int) -> None:
    before = found(session).recording.id
    bring(session, "other.flac", encoded(0.4 * short_groove(), "FLAC"), "drums")
    with pytest.raises(InputError, match="not an analysed file of this record"):
        listen.open_file(HERE, session, before)


def test_the_first_file_of_a_record_is_taken_away_and_the_others_stay(session: int) -> None:
    first = found(session).recording.id
    stem = encoded(0.5 * short_groove(), "FLAC")
    drums = bring(session, "drums.flac", stem, "drums", keep_others=True)
    listen.remove_file(HERE, session, first)
    assert [f.id for f in found(session).files] == [drums]
    listen.bring_file_back(HERE, session, first)
    assert {f.id for f in found(session).files} == {first, drums}
    listen.remove_file(HERE, session, first)
    listen.remove_file(HERE, session, drums)
    assert measured_record(HERE, session) is None


def test_a_value_by_hand_is_weighed_in_and_can_be_taken_back(session: int) -> None:
    before = card(session, "kick")
    assert before.fundamental_hz is not None
    near = before.fundamental_hz * 1.001
    piece = evidence.give_value(
        HERE, session, "kick", "pitch", near, sd=0.2, trust="sure", source="tuning note"
    )
    after = card(session, "kick")
    assert after.fundamental_hz is not None
    assert before.fundamental_hz < after.fundamental_hz <= near
    assert "tuning note" in after.origins["fundamental_hz"]
    evidence.take_evidence_away(HERE, session, piece.id)
    assert card(session, "kick") == before
    evidence.bring_evidence_back(HERE, session, piece.id)
    assert card(session, "kick") == after


def test_gear_is_kept_in_words_and_nonsense_is_refused(session: int) -> None:
    evidence.give_gear(HERE, session, "snare", "14 by 6.5 wood", "hearsay")
    assert found(session).evidence[0].source == "14 by 6.5 wood"
    with pytest.raises(InputError, match="Say what is known"):
        evidence.give_gear(HERE, session, "snare", "  ", "likely")
    with pytest.raises(InputError, match="no confidence"):
        evidence.give_gear(HERE, session, "snare", "x", "certain")
    with pytest.raises(InputError, match="is not measured"):
        evidence.give_value(HERE, session, "snare", "size", 14, sd=None, trust="sure", source="")


def test_drums_are_measured_in_the_named_regions_only(session: int) -> None:
    before = card(session, "kick")
    strokes.name_region(HERE, session, "start", 0.0, 2.0, measure=True)
    after = card(session, "kick")
    assert after.hits == before.hits
    assert 0 < after.clean_hits < before.clean_hits
    assert found(session).recording.regions[0].name == "start"
    strokes.forget_region(HERE, session, "start")
    assert card(session, "kick").clean_hits == before.clean_hits


def test_a_region_needs_a_name_and_a_length(session: int) -> None:
    with pytest.raises(InputError, match="a name"):
        strokes.name_region(HERE, session, " ", 0.0, 2.0, measure=False)
    with pytest.raises(InputError, match="is empty"):
        strokes.name_region(HERE, session, "x", 2.0, 2.0, measure=False)


@pytest.mark.parametrize("beside", [True, False])
def test_the_same_sound_is_not_taken_twice(session: int, groove: bytes, beside: bool) -> None:
    with pytest.raises(InputError, match=r"mix\.flac holds the same sound"):
        bring(session, "copy.flac", groove, "mix", keep_others=beside)
    assert [file.filename for file in found(session).files] == ["mix.flac"]


def test_a_file_that_was_removed_may_be_brought_again(session: int, groove: bytes) -> None:
    only = found(session).recording.id
    listen.remove_file(HERE, session, only)
    assert bring(session, "mix.flac", groove, "mix") != only


def test_the_choice_of_a_reading_is_undone_and_the_one_before_counts_again(session: int) -> None:
    measured = card(session, "tom-1")
    evidence.use_reading(HERE, session, "tom-1", 90.0)
    second = evidence.use_reading(HERE, session, "tom-1", 140.0)
    assert card(session, "tom-1").fundamental_hz == pytest.approx(140.0, rel=0.02)
    evidence.undo_reading(HERE, session, second.id)
    assert card(session, "tom-1").fundamental_hz == pytest.approx(90.0, rel=0.02)
    first = next(piece for piece in found(session).evidence if piece.voice == "tom-1")
    evidence.undo_reading(HERE, session, first.id)
    assert card(session, "tom-1").fundamental_hz == measured.fundamental_hz


def test_what_was_analysed_stays_on_screen_while_another_file_waits(session: int) -> None:
    listen.bring_recording(HERE, session, "kick.wav", one_stroke("kick"), "hit", keep_others=True)
    work, around = load(HERE, session, "listen", "")
    assert work.recording is not None and work.recording.active
    page = listen_page(work, around, None, None, None)
    assert page.window is not None and page.rows
