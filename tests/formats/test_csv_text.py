"""A typed name never becomes a formula in a spreadsheet; numbers stay numbers."""

import csv
import io

import pytest

from emblar.formats.csv_text import csv_text


@pytest.mark.parametrize("name", ["=1+1", "+cmd", "-2+3", "@SUM(A1)", "\tx", "\r=1"])
def test_a_formula_is_marked(name: str) -> None:
    (row,) = csv.reader(io.StringIO(csv_text([[name, 1.5, -2.0, "-3.25"]])))
    assert row[0].startswith("'")
    assert row[1:] == ["1.5", "-2.0", "-3.25"]
