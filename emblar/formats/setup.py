"""``emblar.setup/1``: a drum as it was set up at one time."""

from typing import Literal

from pydantic import Field, model_validator

from emblar.formats.codec import Strict

Side = Literal["batter", "reso"]
Origin = Literal["as found", "plan", "bench", "by hand", "return"]
LARGEST_LUG_HZ = 1000.0
SMALLEST_LUG_HZ = 10.0


class SideFile(Strict):
    """A head and what its rods are tuned to, rod 1 first; null where it is not known."""

    construction: str
    lug_hz: list[float | None]

    @model_validator(mode="after")
    def _in_range(self) -> "SideFile":
        for hz in self.lug_hz:
            if hz is not None and not SMALLEST_LUG_HZ <= hz <= LARGEST_LUG_HZ:
                raise ValueError(
                    f"lug pitch {hz:g} is outside {SMALLEST_LUG_HZ:g} to {LARGEST_LUG_HZ:g} Hz"
                )
        return self


class SetupFile(Strict):
    """A drum as it was set up."""

    schema_: Literal["emblar.setup/1"] = Field(default="emblar.setup/1", alias="schema")
    batter: SideFile
    reso: SideFile | None = None
    port_in: float | None = None
    dampers: list[str] = Field(default_factory=list)
    striker: str = ""
    wires: str = ""
    force: float = Field(default=1.0, gt=0.0, le=4.0)
    """How hard it is struck, over a medium stroke."""
    turned: dict[Side, list[float]] = Field(default_factory=dict)
    """What was turned since the setup before, turns of the key per rod, tightening positive."""
    back_to: int | None = Field(default=None, ge=1)
    """The earlier setup it was brought back to, if it was."""
    slack: list[Side] = Field(default_factory=list)
    """Heads whose rods were let down to finger-tight since the setup before."""
