"""Ports, holes, tensions and sizes over the whole schema: an answer, or an error in words."""

import math
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from emblar.core.acoustics.drum import Kind
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import EmblarError
from emblar.core.planning.kit import RANGES
from emblar.formats.drum import DrumFile
from emblar.steps.plan.actions.prediction import predict_file


def within(name: str) -> st.SearchStrategy[float]:
    return st.floats(RANGES[name].low, RANGES[name].high, allow_nan=False)


FLAGS = ("coated", "fluid", "ring", "dot", "vented", "woven", "opaque", "patch")


@st.composite
def heads(draw: st.DrawFn) -> dict[str, Any]:
    flags = draw(st.sets(st.sampled_from(FLAGS), max_size=3))
    plies = draw(st.lists(within("plies"), min_size=1, max_size=3))
    return {"plies_mil": plies, "lug_hz": draw(within("lug_hz")), **dict.fromkeys(flags, True)}


@st.composite
def drums(draw: st.DrawFn) -> dict[str, Any]:
    kind: Kind = draw(st.sampled_from(("kick", "snare", "tom")))
    made: dict[str, Any] = {
        "schema": "emblar.drum/1",
        "kind": kind,
        "diameter_in": draw(within("diameter_in")),
        "depth_in": draw(within("depth_in")),
        "rods": draw(st.integers(4, 20)),
        "batter": draw(heads()),
        "reso": draw(st.one_of(st.none(), heads())),
    }
    if draw(st.booleans()):
        made["port_in"] = draw(within("port_in"))
    if draw(st.booleans()):
        made["shell_hole_in"] = draw(within("shell_hole_in"))
    names = draw(st.lists(st.sampled_from([d.id for d in SHIPPED.dampers_for(kind)]), max_size=3))
    made["dampers"] = [{"id": name} for name in names]
    if draw(st.booleans()):
        made["wish"] = {
            "drum_pitch_hz": draw(within("drum_pitch_hz")),
            "relation_semitones": draw(within("relation_semitones")),
        }
    return made


@given(drums())
@settings(max_examples=80, deadline=None)
def test_any_drum_of_the_schema_gives_numbers_or_an_error_in_words(made: dict[str, Any]) -> None:
    try:
        found = predict_file(DrumFile.model_validate(made))
    except (EmblarError, ValidationError) as error:
        assert str(error)
        return
    told = [found.drum_pitch_hz, found.drum_pitch_sd_cents, found.sustain_s, found.bend_cents]
    assert all(math.isfinite(value) for value in told)
    assert found.drum_pitch_hz > 0.0
    assert found.sustain_s > 0.0
