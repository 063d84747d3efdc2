"""A kick's modes of m = 0, all shapes at once, against the whole solution one by one."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from emblar.core.acoustics.batch import KICK_MODES, Batch, HeadChoice, table
from emblar.core.acoustics.cavity import CoupledMode, coupled_modes, drum_pitch_mode
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.damping import decay_rate
from emblar.core.acoustics.dressed import HeadKey, Shell
from emblar.core.acoustics.drum import Drum, PlacedDamper, Tensions
from emblar.core.acoustics.forward import close_level, drum_pitch_hz
from emblar.core.catalogue import SHIPPED
from emblar.core.planning.kit import model
from emblar.core.planning.outlook import Field
from tests.drums import OWNED_KICK, film, kick

PRIOR = prior_coefficients()
PAIRS = [(700.0, 500.0), (1500.0, 1500.0), (900.0, 2600.0), (2500.0, 800.0)]
DRUMS = {
    "like heads": kick(),
    "light front": kick(batter=film(10, 10), reso=film(3)),
    "heavy front": kick(batter=film(7), reso=film(10, 10)),
    "ported": kick(port_radius_m=0.0635, reso=film(7)),
    "stuffed": kick(dampers=(PlacedDamper("batter", 0.3, 8.0, 0.05),)),
}


def batch_of(drum: Drum, pairs: list[tuple[float, float]]) -> Batch:
    def on(side: str) -> tuple[PlacedDamper, ...]:
        return tuple(d for d in drum.dampers if d.side == side)

    reso: tuple[HeadKey, ...] = ()
    if drum.reso is not None:
        reso = (HeadKey(drum.kind, "reso", drum.reso, on("reso"), drum.port_radius_m),)
    choice = HeadChoice(
        drum.kind,
        Shell(drum.radius_m(PRIOR), drum.depth_m),
        drum.rods,
        (HeadKey(drum.kind, "batter", drum.batter, on("batter")),),
        reso,
        drum.shell_loss_share,
        drum.port_radius_m,
    )
    first = np.zeros(len(pairs), np.int64)
    one, other = np.array(pairs).T
    return Batch(table(choice, PRIOR), first, first, one, other, PRIOR)


def whole(drum: Drum, pair: tuple[float, float]) -> tuple[Tensions, list[CoupledMode]]:
    tensions = Tensions(pair[0], pair[1] if drum.reso is not None else None)
    return tensions, coupled_modes(drum, tensions, 0, PRIOR, count=KICK_MODES)


@pytest.mark.parametrize("name", DRUMS)
def test_the_lowest_modes_are_those_of_the_whole_solution(name: str) -> None:
    drum = DRUMS[name]
    modes = batch_of(drum, PAIRS).modes()
    for index, pair in enumerate(PAIRS):
        tensions, expected = whole(drum, pair)
        loudest = max(close_level(m, drum, PRIOR) for m in expected)
        for row, mode in enumerate(expected):
            hz = modes.omega[row, index] / (2 * np.pi)
            assert hz == pytest.approx(mode.frequency_hz, rel=0.01)
            level = close_level(mode, drum, PRIOR)
            if level > 0.1 * loudest:
                assert abs(20 * np.log10(modes.level[row, index] / level)) < 2.0
                rate = decay_rate(mode, drum, tensions, PRIOR)
                assert modes.rate[row, index] == pytest.approx(rate, rel=0.12)


@pytest.mark.parametrize("name", DRUMS)
def test_the_pitch_is_the_same_mode_whichever_way_it_is_solved(name: str) -> None:
    drum = DRUMS[name]
    batch = batch_of(drum, PAIRS)
    modes = batch.modes()
    found = modes.of_pitch(modes.omega) / (2 * np.pi)
    for index, pair in enumerate(PAIRS):
        _, expected = whole(drum, pair)
        pitch = drum_pitch_mode(expected, drum, drum.radius_m(PRIOR)).frequency_hz
        assert found[index] == pytest.approx(pitch, rel=0.003)
        assert batch.pitch_hz()[index] == pytest.approx(pitch, rel=0.003)


def test_without_a_front_head_the_open_end_is_a_part_of_it() -> None:
    drum = replace(kick(), reso=None)
    modes = batch_of(drum, PAIRS).modes()
    for index, pair in enumerate(PAIRS):
        _, expected = whole(drum, pair)
        lowest = [m.frequency_hz for m in expected][:3]
        assert modes.omega[:3, index] / (2 * np.pi) == pytest.approx(lowest, rel=0.01)
        whole_hz = drum_pitch_hz(drum, Tensions(pair[0], None), PRIOR)
        assert modes.of_pitch(modes.omega)[index] / (2 * np.pi) == pytest.approx(whole_hz, rel=0.01)


@given(st.floats(500.0, 3000.0), st.floats(0.3, 3.0), st.floats(0.4, 1.0), st.booleans())
@settings(max_examples=25, deadline=None)
def test_any_kick_agrees_in_pitch(tension: float, ratio: float, deep: float, hole: bool) -> None:
    drum = kick(depth_m=deep * 0.5588, port_radius_m=0.0635 if hole else None)
    pair = (tension, tension * ratio)
    found = batch_of(drum, [pair]).modes()
    hz = float(found.of_pitch(found.omega)[0] / (2 * np.pi))
    assert hz == pytest.approx(drum_pitch_hz(drum, Tensions(*pair), PRIOR), rel=0.004)


def test_modes_have_unit_mass_and_come_in_order() -> None:
    batch = batch_of(DRUMS["ported"], PAIRS)
    motions = batch.axial.all_modes(KICK_MODES)
    omegas = np.stack([m.omega for m in motions])
    assert np.all(np.diff(omegas, axis=0) > -1e-6)
    for motion in motions:
        moving = (motion.batter**2).sum(axis=0) + (motion.reso**2).sum(axis=0)
        # The heads' own part; what the air takes of the unit mass is never negative.
        assert np.all(moving < 1.0 + 1e-6)
        out = (batch.b["swept"] * motion.batter).sum(axis=0)
        assert motion.out_b == pytest.approx(out)


@pytest.mark.parametrize("port_in", [None, 5.0])
def test_an_outlook_tunes_every_kick_to_the_pitch_and_neighbours_do_not_matter(
    port_in: float | None,
) -> None:
    owned = replace(OWNED_KICK, port_in=port_in)
    batters = [c.id for c in SHIPPED.constructions_for("kick", "batter")][:4]
    resos = [c.id for c in SHIPPED.constructions_for("kick", "reso")][:3]
    field = Field(
        SHIPPED,
        owned,
        batters,
        resos,
        [(), ("pad-batter",)],
        ["beater-felt"],
        ["medium"],
        port_in=port_in,
    )
    told = field.outlook(field.grid([-3.0, 0.0, 4.0]), 55.0)
    assert told.reached.all()
    assert told.card["pitch"] == pytest.approx(np.full(len(told.reached), 55.0), rel=0.001)
    alone = Field(
        SHIPPED, owned, batters[1:2], resos[2:3], [()], ["beater-felt"], ["medium"], port_in=port_in
    )
    one = alone.outlook(alone.grid([4.0]), 55.0)
    options = field.grid([-3.0, 0.0, 4.0])
    place = np.flatnonzero(
        (options.batter == 1)
        & (options.reso == 2)
        & (options.dampers == 0)
        & (options.semitones == 4.0)
    )
    assert len(place) == 1
    for name, values in one.card.items():
        assert told.card[name][place[0]] == pytest.approx(values[0], rel=1e-3, abs=1e-3)
    drum = model(SHIPPED, owned, batter=batters[1], reso=resos[2])
    tensions = Tensions(float(one.batter_n_per_m[0]), float(one.reso_n_per_m[0]))
    assert drum_pitch_hz(drum, tensions, PRIOR) < 55.0 * 1.01, "a medium stroke starts sharper"
