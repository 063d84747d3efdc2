"""What a style of music shuns on a drum: ``styles.toml``."""

import re
import tomllib
from functools import lru_cache
from importlib import resources
from typing import Any

NO_FRONT = "no-front"
"""Among the heads that a style shuns: a kick without a front head."""


@lru_cache(maxsize=1)
def _styles() -> list[dict[str, Any]]:
    text = (resources.files(__package__) / "styles.toml").read_text(encoding="utf-8")
    rows: list[dict[str, Any]] = tomllib.loads(text)["style"]
    return rows


@lru_cache(maxsize=32)
def shunned(style: str) -> tuple[frozenset[str], frozenset[str], frozenset[str]]:
    """Return heads, dampers and strikers that a style shuns, by id; none for a style unknown."""
    heads: set[str] = set()
    by: set[str] = set()
    dampers: set[str] = set()
    description = f" {' '.join(re.findall(r'[a-z]+', style.lower()))} "
    for row in _styles():
        if any(f" {word} " in description for word in row["words"]):
            heads |= set(row["shuns_heads"])
            dampers |= set(row["shuns_dampers"])
            by |= set(row["shuns_strikers"])
    return frozenset(heads), frozenset(dampers), frozenset(by)
