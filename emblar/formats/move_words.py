"""Why no single change is offered, the same on screen and on the command line."""

from emblar.core.matching.differences import Comparison
from emblar.core.quantities.registry import steps

FAR_STEPS = 6.0
"""A quantity further off than this is beyond a single change."""


def no_move_words(comparison: Comparison) -> str:
    """Return why no single change is offered: nothing audible, too far off, or nothing helps."""
    if not comparison.audible:
        return "Stop here: what is left is inaudible."
    worst = comparison.audible[0]
    if abs(worst.steps) > FAR_STEPS:
        row = steps()[worst.name]
        word = row.more if worst.steps > 0.0 else row.less
        return (
            f"The largest difference is {worst.name}: {abs(worst.steps):.0f} steps {word} than the "
            "record, more than a single change can mend. Choose other heads or another drum in "
            "Plan."
        )
    return (
        "Neither one change nor two would bring it clearly nearer. What is left may be the room, "
        "the processing or the player's hand."
    )
