"""``emblar.log/1``: what was read, set up and fitted on a studio's drums."""

from datetime import datetime
from typing import Literal

from pydantic import Field

from emblar.formats.codec import Strict
from emblar.formats.csv_text import csv_text
from emblar.formats.setup import SetupFile


class LogReading(Strict):
    """A pitch that was read: a lug's of a side and rod, or the drum's."""

    at: datetime
    session: str
    what: Literal["lug", "drum"]
    side: Literal["batter", "reso"] | None
    rod: int | None
    hz: float
    sd_hz: float
    how: str


class LogSetup(Strict):
    """A drum as it was set up from one time on."""

    at: datetime
    session: str
    origin: str
    setup: SetupFile
    note: str = ""
    """What was said of it: the drummer's word, the weather."""


class LogHead(Strict):
    """A head that is or was on the drum; without a time it was there when the drum came."""

    side: Literal["batter", "reso"]
    construction: str
    fitted_at: datetime | None
    removed_at: datetime | None


class LogDrum(Strict):
    """One drum and everything that is known of its past."""

    name: str
    kind: Literal["kick", "snare", "tom"]
    diameter_in: float
    depth_in: float
    rods: int
    lent_by: str = ""
    readings: list[LogReading]
    setups: list[LogSetup]
    heads: list[LogHead]


class LogFile(Strict):
    """The log of a studio."""

    schema_: Literal["emblar.log/1"] = Field(default="emblar.log/1", alias="schema")
    drums: list[LogDrum]


def log_csv(file: LogFile) -> str:
    """Return every reading as CSV, a line each."""
    rows: list[list[object]] = [
        ["drum", "time", "session", "what", "side", "rod", "Hz", "sd Hz", "how"]
    ]
    for drum in file.drums:
        for r in drum.readings:
            side, rod = r.side or "", "" if r.rod is None else r.rod
            time = r.at.isoformat(timespec="seconds")
            values = [f"{r.hz:.2f}", f"{r.sd_hz:.2f}", r.how]
            rows.append([drum.name, time, r.session, r.what, side, rod, *values])
    return csv_text(rows)
