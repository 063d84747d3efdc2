"""What is wrong with a file or form, field by field, in words."""

from collections.abc import Iterable, Mapping
from typing import Any

from pydantic import ValidationError

from emblar.core.planning.kit import RANGES

OUT_OF_RANGE = ("greater_than_equal", "less_than_equal")


def wrong_fields(error: ValidationError) -> list[str]:
    """Return one sentence per wrong field: its name, the value, what is allowed."""
    return in_words(error.errors(include_url=False))


def in_words(errors: Iterable[Mapping[str, Any]]) -> list[str]:
    """Return one sentence per error of Pydantic's list."""
    found = []
    for item in errors:
        path = ".".join(str(part) for part in item["loc"] if part not in ("body", "query"))
        name = str(item["loc"][-1]) if item["loc"] else ""
        if item["type"] in OUT_OF_RANGE and name in RANGES:
            allowed = RANGES[name]
            found.append(
                f"{path}: {item['input']} is outside {allowed.low:g} to {allowed.high:g} "
                f"{allowed.unit}"
            )
        elif item["type"] == "value_error":
            found.append(str(item["msg"]).removeprefix("Value error, "))
        elif item["type"] == "missing":
            found.append(f"{path}: is missing")
        else:
            found.append(f"{path or 'file'}: {item['msg']} (got {str(item['input'])[:60]})")
    return found
