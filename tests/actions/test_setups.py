"""Setups and measurements: immutable, in a journey, of one drum in any session."""

import pytest
from pydantic import ValidationError

from emblar.actions import kit, kits, setups
from emblar.actions.scope import HERE, Scope
from emblar.actions.sessions import Brief, start_session
from emblar.core.errors import DrumError, InputError, NotFoundError
from emblar.formats.setup import SetupFile, SideFile

pytestmark = pytest.mark.usefixtures("database")


def tom_of(session: int):
    return next(d for d in kit.kit(HERE, session) if d.owned.kind == "tom")


def tuned(file: SetupFile, hz: float) -> SetupFile:
    batter = file.batter.model_copy(update={"lug_hz": [hz] * len(file.batter.lug_hz)})
    return file.model_copy(update={"batter": batter})


def test_a_drum_is_found_as_it_is_and_its_journey_is_kept(planned: int) -> None:
    tom = tom_of(planned)
    found = setups.setup_now(HERE, planned, tom.id)
    assert found.info.origin == "as found"
    assert found.file.batter.lug_hz == [None] * 6
    assert setups.setup_now(HERE, planned, tom.id).info.id == found.info.id
    one = setups.keep_setup(HERE, planned, tom.id, tuned(found.file, 150.0), origin="bench")
    two = setups.keep_setup(HERE, planned, tom.id, tuned(found.file, 180.0), origin="bench")
    assert (one.parent_id, two.parent_id) == (found.info.id, one.id)
    back = setups.return_to(HERE, planned, tom.id, one.id)
    assert back.document == one.document
    assert back.parent_id == two.id
    assert [s.origin for s in setups.journey(HERE, planned, tom.id)] == [
        "as found", "bench", "bench", "return",
    ]  # fmt: skip


def test_the_journey_goes_on_in_the_next_session(planned: int) -> None:
    tom = tom_of(planned)
    first = setups.setup_now(HERE, planned, tom.id)
    setups.keep_setup(HERE, planned, tom.id, tuned(first.file, 150.0), origin="bench")
    session = start_session(HERE, Brief("Second")).id
    kits.bring_kit(HERE, session, f"session-{planned}")
    same = next(d for d in kit.kit(HERE, session) if d.drum_id == tom.drum_id)
    assert setups.setup_now(HERE, session, same.id).file.batter.lug_hz == [150.0] * 6


def test_lug_pitches_are_kept_with_the_setup_they_were_read_on(planned: int) -> None:
    tom = tom_of(planned)
    read = [
        setups.measure_lug(HERE, planned, tom.id, side="batter", rod=rod, hz=150.0 + rod,
                           sd_hz=0.5, how="typed")
        for rod in (1, 2)
    ]  # fmt: skip
    now = setups.setup_now(HERE, planned, tom.id)
    assert [(m.rod, m.hz) for m in now.measurements] == [(1, 151.0), (2, 152.0)]
    setups.take_reading_back(HERE, planned, tom.id, read[0].id)
    now = setups.setup_now(HERE, planned, tom.id)
    assert [m.rod for m in now.measurements] == [2]
    setups.keep_setup(HERE, planned, tom.id, tuned(now.file, 150.0), origin="bench")
    assert setups.setup_now(HERE, planned, tom.id).measurements == ()


@pytest.mark.parametrize(
    ("changes", "error", "says"),
    [
        ({"rod": 7}, InputError, "rods 1 to 6"),
        ({"rod": 0}, InputError, "rods 1 to 6"),
        ({"hz": 5.0}, DrumError, "Lug pitch"),
        ({"how": "guess"}, InputError, "none of microphone"),
    ],
)
def test_a_reading_that_cannot_be_is_told(planned: int, changes, error, says: str) -> None:
    tom = tom_of(planned)
    given = {"side": "batter", "rod": 1, "hz": 150.0, "sd_hz": 0.5, "how": "typed"} | changes
    with pytest.raises(error, match=says):
        setups.measure_lug(HERE, planned, tom.id, **given)
    assert setups.setup_now(HERE, planned, tom.id).measurements == ()


def test_a_setup_has_a_pitch_for_every_rod(planned: int) -> None:
    tom = tom_of(planned)
    file = SetupFile(batter=SideFile(construction="double-coated", lug_hz=[150.0] * 5))
    with pytest.raises(InputError, match="has 6 rods; 5 lug pitches"):
        setups.keep_setup(HERE, planned, tom.id, file, origin="bench")
    with pytest.raises(ValidationError, match="outside 10 to 1000"):
        SideFile(construction="double-coated", lug_hz=[2000.0])


def test_setups_of_another_drum_or_studio_are_not_found(planned: int) -> None:
    tom = tom_of(planned)
    kick = next(d for d in kit.kit(HERE, planned) if d.owned.kind == "kick")
    other = setups.setup_now(HERE, planned, kick.id).info
    with pytest.raises(InputError, match="not one of Rack 12"):
        setups.return_to(HERE, planned, tom.id, other.id)
    with pytest.raises(NotFoundError):
        setups.setup_now(Scope(2), planned, tom.id)
