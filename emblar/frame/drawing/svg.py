"""A few lines to write SVG: elements, escaped and with coordinates to a hundredth.

Conventions
-----------
``_`` in an attribute's name becomes ``-``; ``cls`` becomes ``class``; None leaves it out. No ids
but those handed in, no styles: looks are classes in the style sheet.
"""

from markupsafe import Markup, escape


def _text(value: object) -> str:
    if isinstance(value, float):
        return f"{value:.2f}".rstrip("0").rstrip(".") or "0"
    return str(value)


def el(name: str, *children: object, **attributes: object) -> Markup:
    """Return one element with its children; strings are escaped."""
    parts = [f"<{name}"]
    for key, value in attributes.items():
        if value is None:
            continue
        attribute = "class" if key == "cls" else key.replace("_", "-")
        parts.append(f' {attribute}="{escape(_text(value))}"')
    inner = "".join(str(escape(child)) for child in children)
    parts.append(f">{inner}</{name}>")
    return Markup("".join(parts))


def drawing(
    name: str, title: str, description: str, *children: object, width: float, height: float
) -> Markup:
    """Return a whole drawing with its text alternative.

    Parameters
    ----------
    name
        Unique on the page; used for the ids of title and description, and as class.
    title, description
        What a screen reader says.
    width, height
        Size of the view box, one unit a CSS pixel at full size.
    """
    return el(
        "svg",
        el("title", title, id=f"{name}-title"),
        el("desc", description, id=f"{name}-desc"),
        *children,
        cls=f"drawing draw-{name}",
        viewBox=f"0 0 {_text(float(width))} {_text(float(height))}",
        role="group",
        aria_labelledby=f"{name}-title {name}-desc",
    )


def label(x: float, y: float, content: object, cls: str, anchor: str = "start") -> Markup:
    """Return a line of text at a point."""
    return el("text", content, x=x, y=y, cls=cls, text_anchor=anchor)


def line(x1: float, y1: float, x2: float, y2: float, cls: str) -> Markup:
    """Return a straight line."""
    return el("line", x1=x1, y1=y1, x2=x2, y2=y2, cls=cls)


def path(points: list[tuple[float, float]], cls: str) -> Markup:
    """Return a polyline."""
    return el("polyline", points=" ".join(f"{x:.1f},{y:.1f}" for x, y in points), cls=cls)
