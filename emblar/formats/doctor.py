"""``emblar.health/1`` and ``emblar.doctor/1``: how Emblar is, for machines and for people."""

from typing import Literal

from pydantic import Field

from emblar.formats.codec import Strict


class HealthFile(Strict):
    """Whether work can be done now."""

    schema_: Literal["emblar.health/1"] = Field(default="emblar.health/1", alias="schema")
    well: bool
    database: bool
    workers: int
    waiting: int = Field(description="jobs that wait for a worker")
    running: int
    failed: int
    says: str = Field(description="what is wrong and what to do; empty if nothing is")


class FindingRow(Strict):
    """One thing that was looked at."""

    what: str
    state: Literal["well", "note", "fault"]
    says: str


class DoctorFile(Strict):
    """Everything that was looked at; a fault keeps Emblar from working."""

    schema_: Literal["emblar.doctor/1"] = Field(default="emblar.doctor/1", alias="schema")
    well: bool
    findings: list[FindingRow]
