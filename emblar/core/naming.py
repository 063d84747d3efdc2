"""How voices and numbers of things are written for people."""


def voice_title(voice: str) -> str:
    """Return a voice as written, for example ``"Tom 2"``."""
    return voice.replace("-", " ").capitalize()


def spoken(voice: str) -> str:
    """Return a voice as it is said in a sentence: ``tom 1``."""
    return voice.replace("-", " ")


def counted(number: int, thing: str) -> str:
    """Return a number of things in words, for example ``"1 stroke"`` or ``"2 strokes"``."""
    return f"{number} {thing}" if number == 1 else f"{number} {thing}s"


def lower_first(text: str) -> str:
    """Return a name as it stands inside a sentence: its first letter small."""
    return text[:1].lower() + text[1:]
