"""What cures a drum that chokes, in the order a tech tries it."""

import re
from dataclasses import replace

import pytest

from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Setup
from emblar.core.matching.moves import drum_of
from emblar.core.planning.kit import OwnedDrum
from emblar.core.tuning.cures import cures
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM

CHOKED = Setup(
    OWNED_SNARE.batter,
    OWNED_SNARE.reso,
    210.0,
    353.0,
    ("gel-pad",),
    "stick-medium",
    "tight",
)
TOM = Setup(OWNED_TOM.batter, OWNED_TOM.reso, 130.0, 170.0, (), "stick-medium", "medium")


def test_the_wires_come_first_then_the_heads_then_what_lies_on_it() -> None:
    found = [c.id for c in cures(SHIPPED, OWNED_SNARE, CHOKED) if c.purpose == "choke"]
    assert found == ["wires-looser", "reso-lower", "take-off"]
    wires = cures(SHIPPED, OWNED_SNARE, CHOKED)[0]
    assert wires.asks == {"wires": "medium"}
    assert wires.effect["sustain"] > 1.0, "tight wires choke"
    off = next(c for c in cures(SHIPPED, OWNED_SNARE, CHOKED) if c.id == "take-off")
    assert off.asks == {"dampers": []}
    assert off.effect["length"] > 0.0


@pytest.mark.parametrize(("owned", "setup"), [(OWNED_SNARE, CHOKED), (OWNED_TOM, TOM)])
def test_a_slacker_reso_and_a_tighter_batter_keep_the_drum_pitch(
    owned: OwnedDrum, setup: Setup
) -> None:
    cure = next(c for c in cures(SHIPPED, owned, setup) if c.id == "reso-lower")
    # The mode stays (below). Read from a recording, a head that bends more is a little sharp.
    assert abs(cure.effect.get("pitch", 0.0)) < 1.5
    assert cure.asks["semitones"] < 12.0
    numbers = [float(n) for n in re.findall(r"\d+", cure.what)]
    reso, slacker, batter, tighter = numbers
    assert slacker < reso == pytest.approx(setup.reso_hz, abs=0.5)
    assert tighter > batter == pytest.approx(setup.batter_hz, abs=0.5)
    before, after = (
        predict(drum_of(SHIPPED, owned, setup), *lugs).drum_pitch.value
        for lugs in ((setup.batter_hz, setup.reso_hz), (tighter, slacker))
    )
    assert after == pytest.approx(before, rel=0.005)


def test_loose_wires_and_a_slack_reso_are_not_loosened_further() -> None:
    slack = replace(CHOKED, wires="loose", batter_hz=260.0, reso_hz=230.0, dampers=())
    assert [c.id for c in cures(SHIPPED, OWNED_SNARE, slack) if c.purpose == "choke"] == []


def test_tricks_are_those_of_the_drum_and_none_that_is_on_it() -> None:
    fat = {c.id for c in cures(SHIPPED, OWNED_SNARE, CHOKED) if c.purpose == "fat"}
    assert {"two-lugs-down", "paper", "laid-on-head"} <= fat
    on = replace(CHOKED, dampers=("paper",))
    assert "paper" not in {c.id for c in cures(SHIPPED, OWNED_SNARE, on) if c.purpose == "fat"}
    down = next(c for c in cures(SHIPPED, OWNED_SNARE, CHOKED) if c.id == "two-lugs-down")
    assert down.effect["pitch"] < -1.0
    assert {c.purpose for c in cures(SHIPPED, OWNED_TOM, TOM)} == {"choke", "dry", "smack"}


def test_a_kick_has_cures_of_its_own_and_what_dries_a_drum_shortens_it() -> None:
    kick = Setup(
        OWNED_KICK.batter, OWNED_KICK.reso, 40.0, 60.0, ("towel",), "beater-felt", "medium"
    )
    found = cures(SHIPPED, OWNED_KICK, kick)
    assert [c.id for c in found if c.purpose == "choke"] == ["reso-lower", "take-off"]
    assert {c.id for c in found if c.purpose == "smack"} == {"patch", "alternate-lugs"}
    for owned, setup in ((OWNED_KICK, kick), (OWNED_TOM, TOM)):
        dry = [c for c in cures(SHIPPED, owned, setup) if c.purpose == "dry"]
        assert dry
        assert all(c.effect["sustain"] < 0.0 for c in dry), [(c.id, c.effect) for c in dry]
    open_kick = replace(OWNED_KICK, reso=None)
    ids = {c.id for c in cures(SHIPPED, open_kick, replace(kick, reso=None, reso_hz=None))}
    assert not ids & {"reso-lower", "tissue-front"}
