"""``emblar.export/1``: everything a studio has, as ``everything.json`` in an export.

Conventions
-----------
An export is a ZIP file: this document, and every sound once as ``sounds/<sha256>``. Rows stand by
table, each with its id; rows refer to one another by these ids and to sounds by their hash. What
was deleted in the last 30 days is among them, with the time.
"""

from typing import Literal

from pydantic import ConfigDict, Field, JsonValue

from emblar.formats.codec import Strict

DOCUMENT = "everything.json"
SOUNDS = "sounds/"


class SoundEntry(Strict):
    """A sound, or a picture of a setup."""

    sha256: str = Field(pattern="^[0-9a-f]{64}$")
    media_type: str = Field(pattern=r"^(audio/[A-Za-z0-9.+-]{1,60}|image/jpeg)$")


class ExportFile(Strict):
    """Everything of one studio."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    schema_: Literal["emblar.export/1"] = Field(default="emblar.export/1", alias="schema")
    database: str = Field(max_length=40)
    """The shape of the database that the rows are of."""
    sounds: list[SoundEntry]
    tables: dict[str, list[dict[str, JsonValue]]]
