"""Places that are not built yet: what will be here."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Later:
    """What a place will do, as a sentence and as a list."""

    title: str
    sentence: str
    will: tuple[str, ...]


PLACES = {
    "log": Later(
        "Log",
        "What was measured on each drum, and what worked.",
        ("Lug pitches, heads and takes over time.", "The model learns your drums from it."),
    ),
}
