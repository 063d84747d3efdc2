"""Steps and places that are not built yet: what will be here."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Later:
    """What a place will do, as a sentence and as a list."""

    title: str
    sentence: str
    will: tuple[str, ...]


STEPS = {
    "match": Later(
        "Match",
        "With the drum tuned: this step will hold your take against the record.",
        (
            "Record a few strokes; the take goes onto the same rulers as record and plan.",
            "It says what is off, which way and by how many audible steps, and the least change "
            "that would help.",
            "Every step is kept with its sound, so that you can always go back.",
        ),
    ),
}
PLACES = {
    "log": Later(
        "Log",
        "What was measured on each drum, and what worked.",
        ("Lug pitches, heads and takes over time.", "The model learns your drums from it."),
    ),
}
