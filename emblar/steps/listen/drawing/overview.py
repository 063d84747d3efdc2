"""The whole recording in one bar, to jump in: pieces that are links, the window marked."""

from collections.abc import Callable, Sequence

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear
from emblar.frame.drawing.svg import drawing, el

WIDTH = 784.0
LEFT = 92.0
HEIGHT = 30.0
PIECES = 24


def overview(
    height: Sequence[float],
    duration_s: float,
    start_s: float,
    stop_s: float,
    href: Callable[[float], str],
) -> Markup:
    """Draw the recording's loudness over time with the window that is shown.

    Parameters
    ----------
    height
        The waveform's highest values over the whole recording, one a bar.
    duration_s, start_s, stop_s
        How long it is, and the window shown, s.
    href
        Returns the address of a window around a time in s.
    """
    across = Linear(0.0, duration_s, LEFT, WIDTH - 4.0)
    loudest = max(*height, 1e-9)
    step = (across(duration_s) - LEFT) / len(height)
    path = "".join(
        f"M{LEFT + (i + 0.5) * step:.1f} {HEIGHT / 2 - bar * HEIGHT * 0.42:.1f}"
        f"V{HEIGHT / 2 + bar * HEIGHT * 0.42:.1f}"
        for i, bar in enumerate(h / loudest for h in height)
    )
    parts = [
        el(
            "rect",
            x=across(start_s),
            y=0.5,
            width=across(stop_s) - across(start_s),
            height=HEIGHT - 1.0,
            rx=3.0,
            cls="overview-window",
        ),
        el("path", d=path, cls="overview-bars"),
    ]
    wide = duration_s / PIECES
    for i in range(PIECES):
        middle = (i + 0.5) * wide
        minutes, seconds = divmod(round(i * wide), 60)
        parts.append(
            el(
                "a",
                el("title", f"Go to {minutes}:{seconds:02d}"),
                el(
                    "rect",
                    x=across(i * wide),
                    y=0,
                    width=across(wide) - LEFT,
                    height=HEIGHT,
                    cls="overview-piece",
                ),
                href=href(middle),
                aria_label=f"Go to {minutes}:{seconds:02d}",
            )
        )
    return drawing(
        "overview",
        "The whole recording",
        "Loudness over time, the window marked",
        *parts,
        width=WIDTH,
        height=HEIGHT,
    )
