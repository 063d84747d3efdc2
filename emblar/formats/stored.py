"""Documents kept by this or an earlier Emblar, read leniently.

What a document holds that nobody knows any more is left out; what it lacks and may be empty is
empty. Only what cannot be done without makes it unreadable.
"""

import contextlib
import copy
import logging
from collections.abc import Hashable, Iterable, Mapping
from functools import lru_cache
from typing import Any, TypeVar, cast

from pydantic import TypeAdapter, ValidationError

from emblar.core.errors import DocumentError

T = TypeVar("T")
MOST_PASSES = 8
EXTRA = ("extra_forbidden", "unexpected_keyword_argument")
"""Pydantic's names for a field that a model, a dataclass does not have."""
log = logging.getLogger("emblar.formats")


@lru_cache(maxsize=64)
def _adapter(model: Hashable) -> TypeAdapter[Any]:
    return TypeAdapter[Any](cast(Any, model))


def lenient(model: type[T], document: Mapping[str, Any], what: str) -> T:
    """Return a stored document as its model, or as the core's dataclass.

    Raises
    ------
    DocumentError
        It cannot be read; ``what`` says what it is, as in "The plan".
    """
    adapter = _adapter(cast(Hashable, model))
    with contextlib.suppress(ValidationError):
        return cast(T, adapter.validate_python(document))
    held: Any = copy.deepcopy(document)
    if not isinstance(held, dict):
        raise DocumentError(f"{what} was kept by another Emblar and cannot be read.")
    for _ in range(MOST_PASSES):
        try:
            return cast(T, adapter.validate_python(held))
        except ValidationError as error:
            if not _mended(held, error):
                log.warning("%s cannot be read: %s", what, error.errors()[0]["loc"])
                break
    raise DocumentError(f"{what} was kept by another Emblar and cannot be read.")


def readable(model: type[T], documents: Iterable[Mapping[str, Any]], what: str) -> list[T]:
    """Return those stored documents that can be read: one that cannot keeps nobody from the rest.

    Parameters
    ----------
    model, documents, what
        As for ``lenient``.
    """
    result = []
    for document in documents:
        with contextlib.suppress(DocumentError):
            result.append(lenient(model, document, what))
    return result


def by_id(document: Mapping[str, Any], name: str) -> dict[int, Any]:
    """Return what a stored document keeps by id under a name; nothing where it keeps no such."""
    rows = document.get(name)
    if not isinstance(rows, dict):
        return {}
    return {int(key): value for key, value in rows.items() if key.isdecimal()}


def _mended(held: Any, error: ValidationError) -> bool:
    """Leave out what is unknown, leave empty what is missing; whether anything was done."""
    done = False
    for item in error.errors(include_url=False):
        parent = _value_at(held, item["loc"][:-1])
        if not isinstance(parent, dict) or not item["loc"]:
            continue
        name = item["loc"][-1]
        if item["type"] in EXTRA and name in parent:
            del parent[name]
            done = True
        elif item["type"] == "missing" and name not in parent:
            parent[name] = None
            done = True
    return done


def _value_at(held: Any, path: tuple[int | str, ...]) -> Any:
    for part in path:
        inside = isinstance(held, dict) and part in held
        inside = inside or (isinstance(held, list) and isinstance(part, int) and part < len(held))
        if not inside:
            return None
        held = held[part]
    return held
