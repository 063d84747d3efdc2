"""The log: what was read, fitted and recorded outlives the session."""

import csv
import io

import pytest

from emblar.core.errors import InputError, NotFoundError
from emblar.formats.log import LogFile, log_csv
from emblar.platform.studio import HERE, Studio
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.actions.saved import bring_kit
from emblar.steps.listen.actions.recordings import run_analysis
from emblar.steps.log.actions import entries as log
from emblar.steps.match.actions import comparison as match
from emblar.steps.sessions.actions.editing import SessionBrief, delete_session, start_session
from tests.steps.match.test_comparison import a_take, drum_of


def read(session: int, hz: float) -> int:
    drum = drum_of(session, "tom")
    bench.type_readings(HERE, session, drum.id, "batter", [hz + i for i in range(drum.owned.rods)])
    return drum.drum_id


def test_readings_and_takes_are_logged_per_drum(planned: int) -> None:
    drum = read(planned, 200.0)
    tom = drum_of(planned, "tom")
    run_analysis(match.bring_take(HERE, planned, tom.id, "t.wav", a_take(planned, tom)).id)
    found = log.drum_log(HERE, drum)
    assert [r.batter_hz for r in found.rounds] == [pytest.approx(202.5)]
    assert found.rounds[0].reso_hz is None
    assert found.rounds[0].session == "Low Ferry"
    assert [t.filename for t in found.takes] == ["t.wav"]
    assert log.log(HERE)[0].drum.id == drum
    assert {h.side for h in found.heads} == {"batter", "reso"}


def test_the_log_outlives_its_session_and_goes_on_in_the_next(planned: int) -> None:
    drum = read(planned, 200.0)
    second = start_session(HERE, SessionBrief("Second")).id
    bring_kit(HERE, second, f"session-{planned}")
    delete_session(HERE, planned)
    assert drum in {d.drum_id for d in kit(HERE, second)}
    assert log.drum_log(HERE, drum).rounds[0].readings == 6


def test_words_find_drums_by_name_head_and_session(planned: int) -> None:
    drum = read(planned, 200.0)
    assert [r.drum.id for r in log.log(HERE, "low ferry tom")] == [drum]
    assert log.log(HERE, "tuba") == []
    assert len(log.log(HERE)) == 3


def test_the_export_holds_every_reading_and_reads_back(planned: int) -> None:
    read(planned, 200.0)
    file = log.log_file(HERE)
    assert LogFile.model_validate_json(file.model_dump_json(by_alias=True)) == file
    rows = list(csv.DictReader(io.StringIO(log_csv(file))))
    assert [float(r["Hz"]) for r in rows] == [200.0 + i for i in range(6)]


def test_another_studio_sees_none_of_it(planned: int) -> None:
    drum = read(planned, 200.0)
    assert log.log(Studio(2)) == []
    with pytest.raises(NotFoundError):
        log.drum_log(Studio(2), drum)


def test_the_drummers_word_stands_beside_what_was_read_and_is_found(planned: int) -> None:
    drum = read(planned, 200.0)
    tom = drum_of(planned, "tom")
    bench.note_setup(HERE, planned, tom.id, " sings now, rain outside ")
    assert log.drum_log(HERE, drum).rounds[0].note == "sings now, rain outside"
    assert [r.drum.id for r in log.log(HERE, "rain")] == [drum]
    told = next(d for d in log.log_file(HERE).drums if d.name == tom.owned.name)
    assert told.setups[-1].note == "sings now, rain outside"
    with pytest.raises(InputError, match="500 letters"):
        bench.note_setup(HERE, planned, tom.id, "x" * 501)


def test_a_rod_read_again_counts_as_it_was_read_last(planned: int) -> None:
    drum = read(planned, 200.0)
    read(planned, 190.0)
    assert log.drum_log(HERE, drum).rounds[0].batter_hz == pytest.approx(192.5)
