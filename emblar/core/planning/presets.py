"""Kits to begin with (``presets.toml``)."""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

from emblar.core.errors import InputError
from emblar.core.planning.kit import OwnedDrum


@dataclass(frozen=True, slots=True)
class PresetKit:
    """A kit to begin with: its id, its name, its drums."""

    id: str
    name: str
    drums: tuple[OwnedDrum, ...]


@lru_cache(maxsize=1)
def preset_kits() -> tuple[PresetKit, ...]:
    """Return the kits to begin with."""
    text = (resources.files(__package__) / "presets.toml").read_text(encoding="utf-8")
    document = tomllib.loads(text)
    drums = {name: OwnedDrum(**row) for name, row in document["drum"].items()}
    return tuple(
        PresetKit(row["id"], row["name"], tuple(drums[name] for name in row["drums"]))
        for row in document["kit"]
    )


def preset_kit(preset_id: str) -> PresetKit:
    """Return a kit to begin with.

    Raises
    ------
    InputError
        There is none of that id.
    """
    for kit in preset_kits():
        if kit.id == preset_id:
            return kit
    known = ", ".join(kit.id for kit in preset_kits())
    raise InputError(f"“{preset_id}” is no kit to begin with: use {known}.", field="kit")
