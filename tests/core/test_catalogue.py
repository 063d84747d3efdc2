"""The catalogue: every number has a unit, a spread and a source; own rows join the shipped ones."""

from collections.abc import Iterator
from dataclasses import fields

import pytest

from emblar.core import catalogue
from emblar.core.catalogue import TABLES, numbers, row_of, use_own
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


@pytest.fixture
def nothing_own() -> Iterator[None]:
    yield
    use_own([])


@pytest.mark.parametrize("table", TABLES)
def test_every_number_of_every_row_has_a_unit_a_spread_and_a_source(table: str) -> None:
    known = numbers(table)
    for row in catalogue._rows(table).values():
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
    names = " ".join(row.name for row in catalogue.dampers().values())
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
    marked = {c.id for c in catalogue.constructions().values() if not c.may_crack_collar}
    assert {"double-fluid", "single-vented-ring"} <= marked
    assert "single-clear" not in marked


def test_what_a_user_adds_comes_after_what_is_shipped(nothing_own: None) -> None:
    use_own([("damper", row_of("damper", OWN))])
    assert list(catalogue.dampers())[-1] == "own-sock"
    assert catalogue.damper("own-sock").placed()[0].resistance_n_s_per_m == 7.0
    use_own([])
    assert "own-sock" not in catalogue.dampers()


def test_a_wrong_row_is_refused_with_the_field(nothing_own: None) -> None:
    with pytest.raises(CatalogueError, match="unknown colour"):
        row_of("damper", {**OWN, "colour": "red"})
    with pytest.raises(CatalogueError, match="radius"):
        row_of("damper", {key: value for key, value in OWN.items() if key != "radius"})
    with pytest.raises(CatalogueError, match="already a damper"):
        use_own([("damper", row_of("damper", {**OWN, "id": "cloth"}))])


def test_dampers_on_the_shell_add_to_its_losses_and_change_the_stroke() -> None:
    legs = catalogue.damper("legs-two")
    assert catalogue.loss_share("flanged", "steel", "sharp", [legs]) > catalogue.loss_share(
        "flanged", "steel", "sharp"
    )
    bare = catalogue.strike("stick-medium")
    under = catalogue.strike("stick-medium", [catalogue.damper("laid-on-head")])
    assert under.contact > bare.contact
    assert under.noise < bare.noise
