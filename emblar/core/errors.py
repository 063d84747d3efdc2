"""The tree of errors that Emblar raises on purpose.

Conventions
-----------
Every message is one sentence or two for the person at the drum: what was found (with the value),
what was kept, what to do. ``web`` and ``cli`` each translate this tree in one place.
"""


class EmblarError(Exception):
    """Something Emblar cannot do as asked; the message says what to do instead.

    ``field`` is the form's field that it is about, if it is about one.
    """

    def __init__(self, message: str, *, field: str = "") -> None:
        super().__init__(message)
        self.field = field


class BadAudioError(EmblarError):
    """The sound cannot be read or holds nothing to measure."""


class DrumError(EmblarError):
    """A drum, head or pitch lies outside what can exist or be computed."""


class NoSolutionError(EmblarError):
    """No pair of lug pitches gives what was wished."""


class CatalogueError(EmblarError):
    """A construction, hoop, shell or damper is named that the catalogue does not have."""


class NotFoundError(EmblarError):
    """What was asked for is not here (any more)."""


class InputError(EmblarError):
    """A value typed by the user is missing or out of range."""


class ConflictError(EmblarError):
    """Somebody else changed meanwhile what this was to change; nothing was done."""


class DocumentError(EmblarError):
    """Something that was kept cannot be read any more."""


class ServiceError(EmblarError):
    """The database, the disk or a port is not as needed."""
