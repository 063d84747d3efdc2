"""Dataclasses of the core as parts of published files: read, checked and written as they are.

A file's model holds them directly; a class of its own is needed only where the file differs from
the value. Their ranges are ``annotated_types`` on the fields.
"""

from collections.abc import Mapping
from typing import Any

from pydantic import AliasGenerator, BaseModel, ConfigDict

STRICT = ConfigDict(extra="forbid", populate_by_name=True, allow_inf_nan=False)


class Strict(BaseModel):
    """A file or a part of one; unknown fields are rejected."""

    model_config = STRICT


def publish(*classes: Any, names: Mapping[str, str] | None = None) -> None:
    """Allow core dataclasses in files; unknown fields are rejected.

    Parameters
    ----------
    classes
        Frozen dataclasses.
    names
        What a field is called in files, where that is not its name.
    """
    aliases = names or {}
    config = {**STRICT, "alias_generator": AliasGenerator(lambda name: aliases.get(name, name))}
    for one in classes:
        one.__pydantic_config__ = config if aliases else STRICT
