"""What an inspection may find on a drum (``findings.toml``)."""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Literal

from emblar.core.acoustics.drum import Kind
from emblar.core.errors import DrumError


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that may be wrong with a drum.

    ``serious`` is what no tuning cures; ``changes`` the head that should not stay on; ``by_log``
    what no inspection looks for: the log tells it.
    """

    id: str
    name: str
    kinds: tuple[Kind, ...]
    serious: bool
    advice: str
    changes: Literal["batter", "reso"] | None = None
    by_log: bool = False


@lru_cache(maxsize=1)
def findings() -> dict[str, Finding]:
    """Return everything that may be found, by id."""
    text = (resources.files(__package__) / "findings.toml").read_text(encoding="utf-8")
    return {
        name: Finding(name, **{**row, "kinds": tuple(row["kinds"])})
        for name, row in tomllib.loads(text).items()
    }


def check_findings(result: tuple[str, ...], kind: Kind) -> None:
    """Raise ``DrumError`` where a finding is unknown or none of this kind of drum."""
    for name in result:
        row = findings().get(name)
        if row is None:
            raise DrumError(f"findings: “{name}” is not possible. Choose {', '.join(findings())}.")
        if kind not in row.kinds:
            raise DrumError(f"findings: a {kind} cannot have {row.name}.")
