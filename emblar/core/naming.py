"""How voices are written for people."""


def voice_title(voice: str) -> str:
    """Return a voice as written, for example ``"Tom 2"``."""
    return voice.replace("-", " ").capitalize()
