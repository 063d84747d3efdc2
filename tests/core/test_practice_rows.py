"""What practice says each choice does, held against the model: one test a row (bench.practice)."""

import pytest

from bench.practice import ROWS, WHY_NOT, Row


@pytest.mark.parametrize("row", ROWS, ids=[f"row {r.number}" for r in ROWS])
def test_the_model_agrees_with_practice_or_says_why_not(row: Row) -> None:
    found = row.measure()
    # A row that comes to agree is taken off the list of those that do not.
    assert found.agrees == (row.number not in WHY_NOT), f"{row.practice}: {found.figures}"


def test_twenty_rows_at_least_agree() -> None:
    assert [r.number for r in ROWS] == list(range(1, 23))
    assert len(WHY_NOT) <= 2
