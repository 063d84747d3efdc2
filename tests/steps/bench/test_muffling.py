"""Muffling at the bench: strokes before and after, what lies on the drum, what it teaches."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from emblar.core.catalogue import SHIPPED
from emblar.core.errors import BadAudioError, CatalogueError, InputError, NotFoundError
from emblar.core.planning.kit import model
from emblar.formats.setup import SetupFile
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE, Studio
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.bench.actions.muffling import (
    MufflingView,
    lay,
    muffled_stroke,
    muffling,
    muffling_done,
    take_off,
    take_stroke_back,
)
from emblar.steps.bench.actions.sound import read_stroke
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan.actions.planning import replan_drum
from emblar.steps.shelf.actions import dampers_learned
from tests.practice import DrumInTheRoom
from tests.recordings import RATE
from tests.steps.bench.test_actions import at, drum_of


def a_tom(session: int, dampers: list[str]) -> tuple[KitDrum, DrumInTheRoom]:
    """A tom with muffling planned, and one like it in the room, tapped round on both heads."""
    tom = drum_of(session, "tom")
    replan_drum(HERE, session, tom.id, {"dampers": dampers})
    tom = drum_of(session, "tom")
    room = DrumInTheRoom(at(session, tom), 3, apart=0.0, slack=1.0)
    for side in room.hidden.tensions:
        hz = room.hidden.rod_pitches_hz(side)
        bench.type_readings(HERE, session, tom.id, side, [float(f) for f in hz])
    return tom, room


def strike(session: int, tom: KitDrum, room: DrumInTheRoom) -> bytes:
    """Strike the drum in the room with what lies on it."""
    on = tuple(SetupFile.model_validate(at(session, tom).setup.document).dampers)
    room.hidden.drum = model(SHIPPED, tom.owned, dampers=on)
    return wav_bytes(room.hidden.strike(rate=RATE), RATE)


def view(session: int, tom: KitDrum) -> MufflingView:
    return muffling(HERE, session, tom.id)


def test_a_tom_is_muffled_thing_by_thing_and_the_bench_goes_on(planned: int) -> None:
    tom, room = a_tom(planned, ["gel-pad", "tape-flag"])
    assert view(planned, tom).step.do == "strike"
    muffled_stroke(HERE, planned, tom.id, strike(planned, tom, room))
    first = view(planned, tom)
    assert first.of_record
    for _ in range(8):
        now = view(planned, tom)
        if now.step.do == "lay":
            lay(HERE, planned, tom.id, str(now.step.damper))
        elif now.step.do == "take off":
            take_off(HERE, planned, tom.id, str(now.step.damper))
        elif now.step.do == "strike":
            muffled_stroke(HERE, planned, tom.id, strike(planned, tom, room))
        else:
            break
    assert now.step.do in ("enough", "all on")
    assert now.layers[0].dampers == ()
    muffling_done(HERE, planned, tom.id)
    after = at(planned, tom)
    assert after.done["dampers"].state == "done"
    assert tuple(SetupFile.model_validate(after.setup.document).dampers) == now.on, (
        "what was left on stays, whatever was planned"
    )


def test_all_laid_on_at_once_is_kept_as_planned(planned: int) -> None:
    tom, _ = a_tom(planned, ["gel-pad"])
    muffling_done(HERE, planned, tom.id)
    assert SetupFile.model_validate(at(planned, tom).setup.document).dampers == ["gel-pad"]


def test_what_two_strokes_tell_counts_in_the_next_plan(planned: int) -> None:
    shipped = SHIPPED.damper("gel-pad").resistance
    tom, room = a_tom(planned, ["gel-pad"])
    muffled_stroke(HERE, planned, tom.id, strike(planned, tom, room))
    lay(HERE, planned, tom.id, "gel-pad")
    muffled_stroke(HERE, planned, tom.id, strike(planned, tom, room))
    once = dampers_learned(HERE)["gel-pad"]
    assert once.strokes == 1
    # The drum in the room is the model's own: its dampers are as strong as taken.
    assert once.times == pytest.approx(1.0, abs=2.5 * once.sd_share)
    assert HERE.catalogue().damper("gel-pad").resistance == shipped, "one stroke changes no plan"
    muffled_stroke(HERE, planned, tom.id, strike(planned, tom, room))
    twice = dampers_learned(HERE)["gel-pad"]
    assert twice.strokes == 2
    here, other = (studio.catalogue().damper("gel-pad") for studio in (HERE, Studio(2)))
    assert here.resistance == pytest.approx(shipped * twice.times)
    assert other.resistance == shipped, "another studio's dampers are its own"


def test_a_stroke_of_another_drum_or_of_nothing_is_not_kept(planned: int) -> None:
    tom, _ = a_tom(planned, [])
    with pytest.raises(BadAudioError):
        muffled_stroke(HERE, planned, tom.id, wav_bytes(np.zeros(RATE), RATE))
    assert view(planned, tom).layers == ()
    with pytest.raises(InputError, match="no stroke"):
        take_stroke_back(HERE, planned, tom.id, all_of_it=False)


def test_strokes_are_taken_back_and_what_lies_on_the_drum_stays(planned: int) -> None:
    tom, room = a_tom(planned, ["gel-pad"])
    muffled_stroke(HERE, planned, tom.id, strike(planned, tom, room))
    lay(HERE, planned, tom.id, "gel-pad")
    muffled_stroke(HERE, planned, tom.id, strike(planned, tom, room))
    take_stroke_back(HERE, planned, tom.id, all_of_it=False)
    assert len(view(planned, tom).layers) == 1
    assert view(planned, tom).on == ("gel-pad",)
    take_stroke_back(HERE, planned, tom.id, all_of_it=True)
    assert view(planned, tom).layers == ()


def test_only_what_fits_the_drum_goes_on_and_only_what_is_on_comes_off(planned: int) -> None:
    tom, _ = a_tom(planned, [])
    with pytest.raises(InputError, match="not used on a tom"):
        lay(HERE, planned, tom.id, "pillow-front")
    with pytest.raises(CatalogueError):
        lay(HERE, planned, tom.id, "wet blanket")
    with pytest.raises(InputError, match="does not lie"):
        take_off(HERE, planned, tom.id, "gel-pad")
    lay(HERE, planned, tom.id, "gel-pad")
    with pytest.raises(InputError, match="already"):
        lay(HERE, planned, tom.id, "gel-pad")
    with pytest.raises(NotFoundError):
        muffling(Studio(2), planned, tom.id)


def test_a_stroke_read_for_the_pitch_is_no_layer(planned: int) -> None:
    tom, room = a_tom(planned, ["gel-pad"])
    read_stroke(HERE, planned, tom.id, strike(planned, tom, room))
    assert view(planned, tom).layers == ()


def test_two_things_laid_on_at_once_both_lie_there(planned: int) -> None:
    tom, _ = a_tom(planned, [])
    names = ["gel-pad", "tape-flag", "gel-strip", "thin-ring"]
    with ThreadPoolExecutor(4) as pool:
        list(pool.map(lambda name: lay(HERE, planned, tom.id, name), names))
    assert set(view(planned, tom).on) == set(names)
