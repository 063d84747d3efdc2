"""The catalogue: every number has a unit, a spread and a source; own rows join the shipped ones."""

from dataclasses import fields

import pytest

from emblar.core.catalogue import SHIPPED, TABLES, Catalogue, numbers, row_of
from emblar.core.errors import CatalogueError

OWN = {
    "id": "own-sock",
    "name": "a sock",
    "kinds": ["tom"],
    "side": "batter",
    "radius": 0.7,
    "resistance": 7.0,
    "mass_kg": 0.02,
    "minutes": 1.0,
}


@pytest.mark.parametrize("table", TABLES)
def test_every_number_of_every_row_has_a_unit_a_spread_and_a_source(table: str) -> None:
    known = numbers(table)
    for row in SHIPPED.rows(table).values():
        for field in fields(row):
            value = getattr(row, field.name)
            one = value[0] if isinstance(value, tuple) else value
            if isinstance(one, float | int) and not isinstance(one, bool):
                assert field.name in known, f"{row.id}: {field.name}"
    for number in known.values():
        assert number.unit
        assert number.sd_share > 0
        assert number.source


def test_the_catalogue_has_every_damper_a_player_reaches_for() -> None:
    names = " ".join(row.name for row in SHIPPED.dampers.values())
    for word in (
        "tape flag",
        "gel",
        "paper",
        "tissue",
        "cotton",
        "ring",
        "disc",
        "old head",
        "cymbal",
        "rim damper",
        "cloth",
        "felt strip",
        "towel",
        "pillow",
        "pad",
        "blanket",
        "foam",
        "can",
        "leg",
    ):
        assert word in names


def test_heads_whose_collar_must_not_be_cracked_are_marked() -> None:
    marked = {c.id for c in SHIPPED.constructions.values() if not c.may_crack_collar}
    assert {"double-fluid", "single-vented-ring"} <= marked
    assert "single-clear" not in marked


def test_what_a_user_adds_comes_after_what_is_shipped() -> None:
    own = Catalogue((("damper", row_of("damper", OWN)),))
    assert list(own.dampers)[-1] == "own-sock"
    assert own.damper("own-sock").placed()[0].resistance_n_s_per_m == 7.0
    assert "own-sock" not in SHIPPED.dampers


def test_a_wrong_row_is_refused_with_the_field() -> None:
    with pytest.raises(CatalogueError, match="unknown colour"):
        row_of("damper", {**OWN, "colour": "red"})
    with pytest.raises(CatalogueError, match="radius"):
        row_of("damper", {key: value for key, value in OWN.items() if key != "radius"})
    with pytest.raises(CatalogueError, match="already a damper"):
        Catalogue((("damper", row_of("damper", {**OWN, "id": "cloth"})),))


def test_dampers_on_the_shell_add_to_its_losses_and_change_the_stroke() -> None:
    legs = SHIPPED.damper("legs-two")
    assert SHIPPED.loss_share("flanged", "steel", "sharp", [legs]) > SHIPPED.loss_share(
        "flanged", "steel", "sharp"
    )
    bare = SHIPPED.strike("stick-medium")
    under = SHIPPED.strike("stick-medium", [SHIPPED.damper("laid-on-head")])
    assert under.contact > bare.contact
    assert under.noise < bare.noise
