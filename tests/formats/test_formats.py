import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest
from pydantic import ValidationError

from emblar.core.analysis.pipeline import Analysis
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Wish
from emblar.core.planning.plan_drum import plan_drum
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.formats.analysis import AnalysisFile, analysis_file, card_from_file, voice_file
from emblar.formats.drum import DrumFile
from emblar.formats.errors import wrong_fields
from emblar.formats.plan import DrumPlanFile, drum_plan_file
from emblar.formats.schemas import SCHEMAS, schema_text
from emblar.formats.sheet import SheetDrum, SheetFile, SheetHead, sheet_csv
from emblar.steps.plan.actions.prediction import predict_file
from tests.drums import OWNED_TOM

PUBLISHED = Path(__file__).parent.parent.parent / "docs" / "formats"
TOM: dict[str, Any] = {
    "schema": "emblar.drum/1",
    "kind": "tom",
    "diameter_in": 12,
    "depth_in": 8,
    "rods": 6,
    "batter": {"plies_mil": [7, 7], "coated": True, "lug_hz": 208.0},
    "reso": {"plies_mil": [10], "coated": False, "lug_hz": 233.0},
    "port_in": None,
    "dampers": [],
}


@pytest.mark.parametrize("name", list(SCHEMAS))
def test_published_schemas_are_those_of_the_models(name: str) -> None:
    assert (PUBLISHED / f"{name}.schema.json").read_text() == schema_text(name)


def test_an_analysis_survives_being_written_and_read(song_analysis: Analysis) -> None:
    file = analysis_file(song_analysis)
    again = AnalysisFile.model_validate_json(file.model_dump_json(by_alias=True))
    assert again == file
    assert json.loads(file.model_dump_json(by_alias=True))["schema"] == "emblar.analysis/1"
    assert len(again.hits) == len(song_analysis.hits)
    for card, voice in zip(song_analysis.voices, again.voices, strict=True):
        back = card_from_file(voice)
        assert voice_file(back).model_dump(exclude={"tracks"}) == voice.model_dump(
            exclude={"tracks"}
        )
        assert back["sustain"] == card["sustain"]


def test_a_number_that_cannot_be_told_is_null_with_a_reason(song_analysis: Analysis) -> None:
    hat = next(v for v in analysis_file(song_analysis).voices if v.voice == "hat")
    assert hat.fundamental_hz is None
    assert "pitch" in hat.reasons["fundamental_hz"]


def test_predict_prints_what_the_format_promises() -> None:
    found = json.loads(predict_file(DrumFile.model_validate(TOM)).model_dump_json(by_alias=True))
    assert found["schema"] == "emblar.prediction/1"
    assert found["drum_pitch_hz"] == pytest.approx(127.9, abs=1.0)
    assert found["drum_pitch_sd_cents"] > 0
    assert set(found["film_stress_mpa"]) == {"batter", "reso"} == set(found["rod_load_n"])
    assert found["limits"] == []


def test_a_wish_gives_lug_pitches_that_predict_the_wish() -> None:
    wish = {"drum_pitch_hz": 140.0, "relation_semitones": 2.0}
    heads = {
        side: {k: v for k, v in TOM[side].items() if k != "lug_hz"} for side in ("batter", "reso")
    }
    found = predict_file(DrumFile.model_validate(TOM | heads | {"wish": wish}))
    given = {side: TOM[side] | {"lug_hz": getattr(found.lug_hz, side)} for side in heads}
    back = predict_file(DrumFile.model_validate(TOM | given))
    assert back.drum_pitch_hz == pytest.approx(140.0, rel=1e-5)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"diameter_in": 0}, "diameter_in: 0 is outside 6 to 28 in"),
        ({"rods": 21}, "rods: 21 is outside 4 to 20 rods"),
        ({"batter": {"plies_mil": [7], "lug_hz": 5000}}, "batter.lug_hz: 5000 is outside 15 to"),
        ({"batter": {"plies_mil": [99], "lug_hz": 200}}, "plies_mil: 99 is outside"),
        ({"batter": {"plies_mil": [7]}}, "batter.lug_hz: give a lug pitch, or a wish"),
        ({"kind": "kick", "port_in": 13}, "port_in: 13 is not smaller than the head"),
        ({"reso": None}, "a tom needs a reso"),
        ({"colour": "red"}, "colour: Extra inputs"),
        ({"depth_in": "deep"}, "depth_in: .*valid number"),
    ],
)
def test_a_wrong_field_is_named_with_value_and_range(change: dict[str, Any], says: str) -> None:
    with pytest.raises(ValidationError) as caught:
        DrumFile.model_validate(TOM | change)
    with pytest.raises(AssertionError, match=says):
        raise AssertionError("; ".join(wrong_fields(caught.value)))


def test_a_plan_survives_being_written_and_read_and_predicts_the_same() -> None:
    target = Target("tom-1", {"pitch": Measured(128.0, 1.0, "Hz")}, {"wires": "none"})
    plan = plan_drum(SHIPPED, OWNED_TOM, target, Wish())
    file = drum_plan_file(plan)
    again = DrumPlanFile.model_validate_json(file.model_dump_json(by_alias=True))
    assert again == file
    back, made = again.predicted(SHIPPED), plan.prediction
    assert back.modes == made.modes
    assert back.drum_pitch.value == made.drum_pitch.value


def test_the_sheet_as_csv_has_a_row_a_drum_and_no_formulas() -> None:
    head = SheetHead(
        construction="double ply, coated",
        film="7 + 7 mil",
        lug_hz=208.0,
        lug_note="G#3 +3 ct",
        tension_n_per_m=1500.0,
        on_drum_now=False,
    )
    drum = SheetDrum(
        name="=Rack",
        kind="tom",
        size="12 × 8 in",
        rods=6,
        hoop="cast",
        shell="steel",
        voice="tom-1",
        batter=head,
        reso=None,
        port_in=None,
        dampers=[],
        relation_semitones=2.0,
        drum_pitch_hz=128.0,
        drum_pitch_note="C3 −37 ct",
        drum_pitch_sd_cents=60.0,
        record_pitch_hz=None,
        record_pitch_sd_cents=None,
        sustain_s=1.0,
        sustain_sd_s=0.3,
        record_sustain_s=None,
        limits=[],
        cautions=[],
    )
    sheet = SheetFile(
        session="S", artist="A", song="S", plan_version=1, drums=[drum], unplanned=[], cymbals=[]
    )
    rows = list(csv.DictReader(io.StringIO(sheet_csv(sheet))))
    assert len(rows) == 1
    assert rows[0]["drum"] == "'=Rack"
    assert rows[0]["batter_lug_hz"] == "208.0"
    assert rows[0]["reso"] == ""


def test_takes_move_the_prediction_towards_them_and_say_how_far() -> None:
    plain = predict_file(DrumFile.model_validate(TOM))
    lugs = {"batter_hz": TOM["batter"]["lug_hz"], "reso_hz": TOM["reso"]["lug_hz"]}
    heard = plain.drum_pitch_hz * 1.05
    take = lugs | {"drum_pitch_hz": heard, "sustain_s": 1.0}
    found = predict_file(DrumFile.model_validate(TOM | {"takes": [take]}))
    assert plain.measured_share is None
    assert found.measured_share is not None
    assert 0.5 < found.measured_share["pitch"] < 1.0
    assert found.drum_pitch_hz == pytest.approx(heard, rel=0.01)
    assert found.drum_pitch_sd_cents < plain.drum_pitch_sd_cents
    assert found.card is not None
    assert found.card["pitch"].value == pytest.approx(heard, rel=0.03)


def test_lug_pitches_rod_by_rod_give_their_mean_and_the_warble() -> None:
    lug = TOM["batter"]["lug_hz"]
    head = {k: v for k, v in TOM["batter"].items() if k != "lug_hz"}
    even = predict_file(DrumFile.model_validate(TOM | {"batter": head | {"rods_hz": [lug] * 6}}))
    assert even.warble_hz is not None
    assert even.warble_hz.batter == pytest.approx(0.0, abs=1e-9)
    assert even.warble_hz.reso is None
    pairs = [lug + 3.0, lug - 1.5, lug - 1.5] * 2
    warbling = predict_file(DrumFile.model_validate(TOM | {"batter": head | {"rods_hz": pairs}}))
    assert warbling.lug_hz.batter == pytest.approx(lug)
    assert warbling.warble_hz is not None
    assert warbling.warble_hz.batter == pytest.approx(6.0)
    with pytest.raises(ValidationError, match="5 pitches for 6 rods"):
        DrumFile.model_validate(TOM | {"batter": head | {"rods_hz": [lug] * 5}})


def test_a_kick_with_a_port_is_struck_as_a_microphone_inside_hears_it() -> None:
    head = {"plies_mil": [10], "lug_hz": 60.0}
    kick = {
        "schema": "emblar.drum/1",
        "kind": "kick",
        "diameter_in": 22,
        "depth_in": 16,
        "rods": 8,
        "batter": head,
        "reso": head,
    }
    closed = DrumFile.model_validate(kick).drum(SHIPPED).strike
    ported = DrumFile.model_validate(kick | {"port_in": 5.0}).drum(SHIPPED).strike
    assert ported.noise > closed.noise
    assert ported.brightness > closed.brightness
