"""What is wrong with a file or form, field by field, in words."""

from collections.abc import Iterable, Mapping
from typing import Any

from pydantic import ValidationError

from emblar.core.planning.kit import RANGES

OUT_OF_RANGE = ("greater_than_equal", "less_than_equal")


def wrong_fields(error: ValidationError) -> list[str]:
    """Return one sentence per wrong field: its name, the value, what is allowed."""
    return error_messages(error.errors(include_url=False))


def at_field(errors: Iterable[Mapping[str, Any]]) -> tuple[str, str]:
    """Return the form's field of the first error, and a sentence to stand at it."""
    rows = list(errors)
    if not rows:
        return "", "Something in this cannot be read."
    first = rows[0]
    name = next((str(part) for part in first["loc"] if part not in ("body", "query")), "")
    return name, _sentence(first)


def _sentence(item: Mapping[str, Any]) -> str:
    kind, context = item["type"], item.get("ctx", {})
    if kind == "missing":
        return "This is needed."
    if kind == "value_error":
        return str(item["msg"]).removeprefix("Value error, ").rstrip(".") + "."
    if kind.startswith(("int", "float")):
        return f"“{str(item['input'])[:40]}” is not a number."
    bounds = {
        "greater_than": "gt",
        "greater_than_equal": "ge",
        "less_than": "lt",
        "less_than_equal": "le",
    }
    if kind in bounds:
        words = {"gt": "more than", "ge": "at least", "lt": "less than", "le": "at most"}
        key = bounds[kind]
        bound = f"{words[key]} {_plain(context[key])}"
        return f"{str(item['input'])[:40]} will not do: it must be {bound}."
    if kind == "string_too_long":
        return f"This is longer than {context['max_length']} characters."
    return f"“{str(item['input'])[:40]}” is not one of the choices here."


def _plain(number: float) -> str:
    return str(number) if isinstance(number, int) else f"{number:g}"


def error_messages(errors: Iterable[Mapping[str, Any]]) -> list[str]:
    """Return one sentence per error of Pydantic's list."""
    result = []
    for item in errors:
        path = ".".join(str(part) for part in item["loc"] if part not in ("body", "query"))
        name = str(item["loc"][-1]) if item["loc"] else ""
        if item["type"] in OUT_OF_RANGE and name in RANGES:
            allowed = RANGES[name]
            result.append(
                f"{path}: {item['input']} is outside {allowed.low:g} to {allowed.high:g} "
                f"{allowed.unit}"
            )
        elif item["type"] == "value_error":
            result.append(str(item["msg"]).removeprefix("Value error, "))
        elif item["type"] == "missing":
            result.append(f"{path}: is missing")
        else:
            result.append(f"{path or 'file'}: {item['msg']} (got {str(item['input'])[:60]})")
    return result
