"""Parts of a studio's own, as rows of the catalogue."""

from collections.abc import Mapping
from dataclasses import asdict
from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from emblar.core.catalogue import TABLES, row_of
from emblar.core.errors import CatalogueError, DocumentError


@lru_cache
def _reader(table: str) -> TypeAdapter[Any]:
    return TypeAdapter(TABLES[table][1])


def part_row(table: str, stored: Mapping[str, Any]) -> Any:
    """Return a stored part as a row of the catalogue's table.

    Raises
    ------
    DocumentError
        It cannot be read: a field is missing, unknown or of another kind.
    """
    try:
        row = row_of(table, stored)
        return _reader(table).validate_python(asdict(row))
    except (CatalogueError, ValidationError) as error:
        raise DocumentError(f"A {table} of this studio's own cannot be read.") from error
