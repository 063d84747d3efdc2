"""What is to be planned, as one value: every way to a plan searches and settles such a problem.

A single drum is a shelf with that drum alone; what stays by hand is a lock. The parts that can be
had are those of the shelf's catalogue.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from emblar.core.drum import AS_PLANNED, Wish
from emblar.core.planning.brief import Brief, Shelf, Weights, usual_weights
from emblar.core.planning.search import DrumSearch
from emblar.core.planning.target import Target
from emblar.core.planning.weighing import Weigher
from emblar.core.voices import VoiceName


@dataclass(frozen=True, slots=True)
class Problem:
    """Voices of a record, drums that may play them, and what is asked."""

    targets: Sequence[Target]
    """One per voice that drums are to play."""
    shelf: Shelf
    brief: Brief
    weights: Weights = field(default_factory=usual_weights)
    locks: Mapping[str, Wish] = field(default_factory=dict)
    """What stays, by the drum's name."""

    def target(self, voice: str) -> Target:
        """Return what a voice is to sound like.

        Raises
        ------
        KeyError
            There is no such voice.
        """
        for target in self.targets:
            if target.voice == voice:
                return target
        raise KeyError(voice)

    def search(self, voice: str, number: int) -> DrumSearch:
        """Return the search of a voice on a drum of the shelf, by its place there."""
        held = self.locks.get(self.shelf.drums[number].name, AS_PLANNED)
        target = self.target(voice)
        return DrumSearch(number, target, self.shelf, self.brief, self.weights, held)

    def searches(self) -> dict[tuple[str, int], DrumSearch]:
        """Return the search of every voice on every drum that plays it, by voice and drum."""
        return {
            (target.voice, number): self.search(target.voice, number)
            for target in self.targets
            for number, drum in enumerate(self.shelf.drums)
            if drum.kind == VoiceName(target.voice).kind
        }

    def weigher(self, voice: str, number: int) -> Weigher:
        """Return what weighs single recipes of a voice on a drum."""
        return Weigher(number, self.target(voice), self.shelf, self.brief, self.weights)
