"""Every quantity of a card is one row, and screen, files and plan follow it."""

import csv
import io
from dataclasses import replace

import pytest

from emblar.core.analysis.pipeline import Analysis
from emblar.core.planning.target import target_from_card
from emblar.core.quantities import Measured
from emblar.core.quantities.card import blank_card
from emblar.core.quantities.registry import registry, steps
from emblar.formats.analysis import VoiceFile, analysis_file, card_from_file, voice_file
from emblar.formats.strokes import card_csv


def test_a_card_holds_every_quantity_and_no_other() -> None:
    card = blank_card("snare", "not struck yet")
    assert list(card) == list(registry())
    with pytest.raises(KeyError, match="colour"):
        card.having({"colour": Measured(1.0, 0.1, "")})
    fewer = {name: card[name] for name in card if name != "room"}
    with pytest.raises(KeyError, match="room"):
        replace(card, quantities=fewer)


def test_every_quantity_has_its_two_fields_in_the_file() -> None:
    for entry in registry().values():
        assert {entry.field, entry.sd_field} <= set(VoiceFile.model_fields)


@pytest.mark.parametrize("name", registry())
def test_a_quantity_goes_to_the_file_and_back(name: str) -> None:
    entry = registry()[name]
    card = blank_card("snare", "not struck yet").having({name: Measured(12.0, 0.5, entry.unit)})
    if name == "pitch":
        card = replace(card, pitch_sd_cents=70.7)
    back = card_from_file(voice_file(card))
    told = back[name]
    assert isinstance(told, Measured)
    assert (told.value, told.unit) == (12.0, entry.unit)
    assert told.sd == pytest.approx(0.5, rel=0.02)
    assert all(back[other] == card[other] for other in card if other != name)


def test_what_has_a_step_is_aimed_at_and_nothing_else(song_analysis: Analysis) -> None:
    target = target_from_card(next(v for v in song_analysis.voices if v.voice == "snare"))
    assert set(target.values) | set(target.missing) == set(steps())


def test_the_table_lists_every_quantity_by_the_name_on_the_screen(song_analysis: Analysis) -> None:
    rows = list(csv.DictReader(io.StringIO(card_csv(analysis_file(song_analysis)))))
    listed = [row["quantity"] for row in rows if row["drum"] == "snare"]
    assert listed == [entry.shown for entry in registry().values()]
