"""One change by hand changes one thing, and what follows from it is said."""

import pytest

from emblar.formats.plan import DrumPlanFile
from emblar.platform.studio import HERE
from emblar.steps.kit.actions.drums import add_drum
from emblar.steps.plan.actions import planning as plan
from emblar.steps.plan.actions.by_hand import changed_by_hand, held
from emblar.steps.plan.actions.versions import versions
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from tests.drums import OWNED_KICK, OWNED_TOM

pytestmark = pytest.mark.usefixtures("database")


@pytest.fixture
def session(database: None) -> int:
    return start_session(HERE, SessionBrief("Low Ferry")).id


def planned(session: int, drum: int, wish: dict[str, object]) -> DrumPlanFile:
    return plan.replan_drum(HERE, session, drum, wish).drums[drum]


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("batter", "double-coated"),
        ("dampers", ["gel-pad"]),
        ("pitch_hz", 118.0),
        ("striker", "stick-light"),
        ("reso", "single-coated"),
    ],
)
def test_one_change_leaves_the_rest_of_the_plan_as_it_was(
    session: int, name: str, value: object
) -> None:
    drum = add_drum(HERE, session, OWNED_TOM).id
    before = planned(session, drum, {"pitch_hz": 128.0})
    after = planned(session, drum, {"pitch_hz": 128.0, name: value})
    for other in ("batter", "reso", "dampers", "striker", "semitones", "port_in"):
        if other != name:
            assert getattr(after, other) == getattr(before, other), other
    said = versions(HERE, session)[0].says
    assert "changed by hand" in said
    if round(before.prediction.lug_hz.batter) != round(after.prediction.lug_hz.batter):
        assert f"→ {after.prediction.lug_hz.batter:.0f} Hz" in said


def test_what_has_to_change_with_it_is_said(session: int) -> None:
    drum = add_drum(HERE, session, OWNED_KICK).id
    before = planned(session, drum, {"pitch_hz": 56.0})
    assert before.reso is not None
    after = planned(session, drum, {"pitch_hz": 56.0, "port": "off"})
    assert after.reso is None
    assert "with it front head" in versions(HERE, session)[0].says


def test_asking_for_another_sound_leaves_everything_free(session: int) -> None:
    drum = add_drum(HERE, session, OWNED_TOM).id
    now = planned(session, drum, {"pitch_hz": 128.0})
    before, asked = {"pitch_hz": 128.0}, {"pitch_hz": 128.0, "steps": {"sustain": -6.0}}
    assert held(asked, changed_by_hand(before, asked), now, OWNED_TOM) is None
    softer = {**before, "striker": "stick-light"}
    kept = held(softer, changed_by_hand(before, softer), now, OWNED_TOM)
    assert kept is not None
    assert (kept["batter"], kept["striker"]) == (now.batter, "stick-light")
