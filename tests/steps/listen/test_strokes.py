import numpy as np
import pytest
from sqlalchemy import text

from emblar.core.analysis.corrections import Seen
from emblar.core.errors import InputError, NotFoundError
from emblar.formats.analysis import VoiceFile
from emblar.platform.database import transaction
from emblar.platform.sound.decode import decode
from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions import files as listen_files
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.listen.actions import strokes
from emblar.steps.listen.actions.measuring import measured_record
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from tests.drums import OWNED_TOM
from tests.recordings import RATE, encoded, short_groove

pytestmark = pytest.mark.usefixtures("database")


@pytest.fixture
def session(heard: int) -> int:
    return heard


def hits(session: int) -> list[tuple[float, str]]:
    found = listen.analysed_record(HERE, session)
    assert found is not None
    return [(h.time_s, h.voice) for h in found.analysis.hits]


def card(session: int, voice: str) -> VoiceFile:
    found = measured_record(HERE, session)
    assert found is not None
    card = found.voice(voice)
    assert card is not None
    return card


def test_a_moved_stroke_changes_both_cards_and_can_be_taken_back(session: int) -> None:
    before, tom = hits(session), card(session, "tom-1")
    seen = next(Seen(*hit) for hit in before if hit[1] == "tom-1")
    assert "from tom 1 to snare" in strokes.move_strokes(HERE, session, [seen], "snare")
    assert card(session, "tom-1").hits == tom.hits - 1
    assert card(session, "snare").hits == sum(v == "snare" for _, v in before) + 1
    last = strokes.last_correction(HERE, session)
    assert last is not None
    assert "moved" in last.says
    strokes.take_back(HERE, session)
    assert hits(session) == before
    back = card(session, "tom-1")
    # Times are kept to 10 µs.
    assert back.fundamental_hz == pytest.approx(tom.fundamental_hz, rel=1e-4)
    assert back.decay_s == pytest.approx(tom.decay_s, rel=1e-2)
    assert (back.hits, back.clean_hits) == (tom.hits, tom.clean_hits)
    assert strokes.last_correction(HERE, session) is None


def test_strokes_are_put_in_and_taken_out(session: int) -> None:
    before = hits(session)
    strokes.put_in_stroke(HERE, session, 2.9, "cymbal")
    assert (2.9, "cymbal") in hits(session)
    strokes.take_out_strokes(HERE, session, [Seen(2.9, "cymbal")])
    assert hits(session) == before
    strokes.take_back(HERE, session)
    strokes.take_back(HERE, session)
    assert hits(session) == before
    with pytest.raises(InputError, match="no correction"):
        strokes.take_back(HERE, session)


def test_what_lies_outside_the_recording_is_refused_and_nothing_changes(session: int) -> None:
    before = hits(session)
    with pytest.raises(InputError, match="outside the recording"):
        strokes.put_in_stroke(HERE, session, 999.0, "kick")
    assert hits(session) == before


def test_a_drum_follows_its_tom_when_toms_are_numbered_anew(session: int) -> None:
    for time_s, voice in ((0.1, "tom-2"), (0.2, "tom-3")):
        strokes.put_in_stroke(HERE, session, time_s, voice)
    drum = kit.add_drum(HERE, session, OWNED_TOM)
    kit.assign_voice(HERE, session, "tom-3", drum.id)
    strokes.merge(HERE, session, "tom-1")
    assert next(d.voice for d in kit.kit(HERE, session)) == "tom-2"
    strokes.take_back(HERE, session)
    assert next(d.voice for d in kit.kit(HERE, session)) == "tom-3"


def test_a_tom_whose_strokes_sound_alike_is_not_split(session: int) -> None:
    before = hits(session)
    with pytest.raises(InputError, match="that is one drum"):
        strokes.split(HERE, session, "tom-1")
    assert hits(session) == before


@pytest.mark.parametrize(
    "what", ["strokes.mid", "strokes.csv", "strokes.jams", "card.json", "card.csv"]
)
def test_what_was_heard_is_taken_along_as_files(session: int, what: str) -> None:
    file = listen_files.listen_file(HERE, session, what)
    assert file.name == f"low-ferry-{what}"
    assert len(file.data) > 100


def test_one_voice_is_taken_along_alone(session: int) -> None:
    sound = decode(listen_files.stem_file(HERE, session, "kick").data).audio
    assert sound.sample_rate_hz == RATE
    with pytest.raises(NotFoundError, match="no part “tom-9”"):
        listen_files.stem_file(HERE, session, "tom-9")
    with pytest.raises(NotFoundError, match="Only a full mix"):
        listen_files.stem_file(HERE, session, "drumless")


@pytest.mark.parametrize("kind", ["mix", "auto"])
def test_a_full_mix_gets_drums_and_a_drumless_rest_that_add_up(kind: str) -> None:
    drums = short_groove()
    t = np.arange(len(drums)) / RATE
    struck = 10.0 ** (-1.2 * np.mod(t, 0.5))
    chord = 0.1 * struck * sum(np.sin(2 * np.pi * f * t) for f in (220.0, 277.2, 329.6))
    mix = 0.6 * (drums + np.asarray(chord)[:, None])
    found = start_session(HERE, SessionBrief("Mix")).id
    recording = listen.bring_recording(
        HERE, found, "mix.flac", encoded(mix, "FLAC", "PCM_24"), kind
    )
    listen.run_analysis(recording.id)
    parts = [
        decode(listen_files.stem_file(HERE, found, part).data).audio.samples
        for part in ("drums", "drumless")
    ]
    assert np.abs(parts[0] + parts[1] - mix).max() < 1e-3


def test_an_analysis_of_before_is_renewed_and_corrections_are_made_again(session: int) -> None:
    tom = next(Seen(*hit) for hit in hits(session) if hit[1] == "tom-1")
    strokes.move_strokes(HERE, session, [tom], "snare")
    corrected = hits(session)
    found = measured_record(HERE, session)
    assert found is not None
    with transaction() as db:
        db.execute(text("update recording set analysis_version = 1"))
    assert listen.renew_outdated() == 1
    assert listen.renew_outdated() == 0, "it is on the queue already"
    assert hits(session) == corrected, "until it is renewed it stays as it is"
    assert listen.renew_analysis(found.recording.id)
    assert hits(session) == corrected
    assert not listen.renew_analysis(found.recording.id)
    assert card(session, "snare").hits == sum(v == "snare" for _, v in corrected)
    strokes.take_back(HERE, session)
    assert "tom-1" in {v for t, v in hits(session) if abs(t - tom.time_s) < 1e-3}
