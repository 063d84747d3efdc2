"""Write docs/model.md and its drawings: what each choice does to three recording drums.

``python -m scripts.model_page``; every figure and mark is computed, nothing is drawn by hand.
"""

import math
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from emblar.core import catalogue
from emblar.core.acoustics.cavity import coupled_modes
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.damping import radiation_rate, t60_s
from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.forward import Prediction, predict
from emblar.core.acoustics.inverse import lug_pitches_for
from emblar.core.errors import EmblarError
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.steps import steps

FOLDER = Path(__file__).parent.parent / "docs"
DRUMS = {
    "tom": OwnedDrum(
        "12 × 8 in tom", "tom", 12, 8, 6, "flanged", "maple-lacquer", "single-clear",
        "single-clear",
    ),
    "snare": OwnedDrum(
        "14 × 5.5 in snare", "snare", 14, 5.5, 10, "flanged", "maple-lacquer", "single-coated",
        "snare-side",
    ),
    "kick": OwnedDrum(
        "22 × 16 in kick", "kick", 22, 16, 10, "wood", "maple-lacquer", "single-clear",
        "front-opaque",
    ),
}  # fmt: skip
TUNED = {"tom": (130.0, 2.0), "snare": (190.0, 4.0), "kick": (58.0, 3.0)}
SHOWN = ("bend", "sustain", "length", "attack", "click", "body", "ring", "wires")
OWNED = ("hoop", "edge", "shell", "depth_in", "port_in", "reso")
MOST_STEPS = 6.0
ROW, LEFT, COLUMN = 20, 300, 78
STYLE = (
    "text{font:12px sans-serif;fill:#15201c}.m{fill:#56655f}.h{stroke:#c6d0ca}"
    ".b{fill:#15201c}.o{fill:#bf4a0a}.l{stroke:#2a3eb1;stroke-width:2;fill:none}"
    ".d{stroke:#15201c;stroke-width:1.5;stroke-dasharray:6 4;fill:none}"
)


def predicted(kind: str, changes: Mapping[str, Any]) -> Prediction:
    """Return the recording drum with some choices changed, at the same drum pitch."""
    asked = dict(changes)
    semitones = asked.pop("semitones", TUNED[kind][1])
    drum = replace(DRUMS[kind], **{k: asked.pop(k) for k in OWNED if k in asked})
    built = model(drum, **asked)
    lugs = lug_pitches_for(built, TUNED[kind][0], semitones)
    return predict(built, lugs.batter_hz, lugs.reso_hz)


def card(kind: str, changes: Mapping[str, Any]) -> dict[str, float]:
    """Return the card of a choice."""
    found = predicted_card(predicted(kind, changes), kind)
    return {name: quantity.value for name, quantity in found.items()}


def choices(kind: Kind) -> list[tuple[str, dict[str, Any]]]:
    """Return every choice of the catalogue for a kind of drum, with what to call it."""
    rows: list[tuple[str, dict[str, Any]]] = []
    rows += [
        (f"batter {c.name}", {"batter": c.id}) for c in catalogue.constructions_for(kind, "batter")
    ]
    rows += [(f"reso {c.name}", {"reso": c.id}) for c in catalogue.constructions_for(kind, "reso")]
    rows += [(f"reso {s:+d} semitones", {"semitones": float(s)}) for s in (-3, 0, 5)]
    if kind == "kick":
        rows += [(f"port {p} in", {"port_in": float(p)}) for p in (4, 5, 6, 10)]
    rows += [(f"hoop {h.name}", {"hoop": h.id}) for h in catalogue.hoops().values()]
    rows += [(f"edge {e.name}", {"edge": e.id}) for e in catalogue.edges().values()]
    rows += [(f"shell {s.name}", {"shell": s.id}) for s in catalogue.shells().values()]
    depth = DRUMS[kind].depth_in
    rows += [(f"depth {d:g} in", {"depth_in": d}) for d in (0.7 * depth, 1.4 * depth)]
    rows += [(s.name, {"striker": s.id}) for s in catalogue.strikers_for(kind)]
    if kind == "kick":
        rows.append(("impact patch", {"patch": True}))
    if kind == "snare":
        rows += [(w.name, {"wires_setting": w.id}) for w in catalogue.wire_settings().values()]
    rows += [(d.name, {"dampers": (d.id,)}) for d in catalogue.dampers_for(kind)]
    return rows  # fmt: skip


def chart(kind: Kind) -> str:
    """Return the drawing of every choice's effect in steps, as SVG."""
    base = card(kind, {})
    names = [n for n in SHOWN if n in base]
    rows = choices(kind)
    height = ROW * (len(rows) + 2)
    width = LEFT + COLUMN * len(names) + 10
    out = [f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" role="img">'
           f"<title>{DRUMS[kind].name}: what each choice does, in just-noticeable steps</title>"
           f"<style>{STYLE}</style>"]  # fmt: skip
    for column, name in enumerate(names):
        middle = LEFT + COLUMN * (column + 0.5)
        out.append(f'<text x="{middle}" y="14" text-anchor="middle">{name}</text>')
        out.append(f'<line class="h" x1="{middle}" x2="{middle}" y1="20" y2="{height}"/>')
    for row, (title, changes) in enumerate(rows):
        y = ROW * (row + 1.9)
        out.append(f'<text x="{LEFT - 12}" y="{y}" text-anchor="end">{title}</text>')
        try:
            found = card(kind, changes)
        except EmblarError:
            out.append(f'<text class="m" x="{LEFT}" y="{y}">cannot reach this pitch</text>')
            continue
        for column, name in enumerate(names):
            middle = LEFT + COLUMN * (column + 0.5)
            if name not in found:
                out.append(f'<text class="m" x="{middle}" y="{y}">?</text>')
                continue
            apart = steps()[name].apart(found[name], base[name])
            shown = max(min(apart, MOST_STEPS), -MOST_STEPS) * (COLUMN / 2 - 4) / MOST_STEPS
            cls = "o" if abs(apart) > MOST_STEPS else "b"
            out.append(
                f'<rect class="{cls}" x="{middle + min(shown, 0.0):.1f}" y="{y - 9}" '
                f'width="{abs(shown):.1f}" height="8"><title>{title}: {name} {apart:+.1f} '
                "steps</title></rect>"
            )
    return "\n".join([*out, "</svg>\n"])


def relation_chart() -> str:
    """Return sustain against the relation of the heads: all losses, and radiation alone."""
    k = prior_coefficients()
    width, height, left, bottom = 560, 260, 50, 220
    points: dict[str, list[tuple[float, float]]] = {"l": [], "d": []}
    for half in range(-14, 15):
        semitones = half / 2.0
        found = predicted("tom", {"semitones": semitones})
        drum = model(DRUMS["tom"])
        mode = coupled_modes(drum, found.tensions, 0, k)[0]
        points["l"].append((semitones, found.sustain.value))
        points["d"].append((semitones, t60_s(radiation_rate(mode, drum, k))))
    out = [f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" role="img">'
           "<title>Sustain of the tom at 130 Hz against the relation of its heads</title>"
           f"<style>{STYLE}</style>"]  # fmt: skip
    top = max(value for rows in points.values() for _, value in rows)

    def x(semitones: float) -> float:
        return left + (semitones + 7.0) / 14.0 * (width - left - 20)

    def y(seconds: float) -> float:
        return bottom - math.log(seconds) / math.log(top * 1.1) * (bottom - 20)

    out += [
        f'<line class="h" x1="{left}" x2="{width - 20}" y1="{y(s):.1f}" y2="{y(s):.1f}"/>'
        f'<text x="{left - 8}" y="{y(s) + 4:.1f}" text-anchor="end">{s} s</text>'
        for s in (1, 2, 5, 10)
        if s <= top
    ]
    out += [
        f'<text x="{x(s):.1f}" y="{bottom + 18}" text-anchor="middle">{s:+d}</text>'
        for s in (-7, -5, -2, 0, 2, 5, 7)
    ]
    out.append(f'<text class="m" x="{(left + width) / 2}" y="{height - 6}" text-anchor="middle">'
               "reso above batter, semitones</text>")  # fmt: skip
    for cls, rows in points.items():
        path = " ".join(f"{x(a):.1f},{y(b):.1f}" for a, b in rows)
        out.append(f'<polyline class="{cls}" points="{path}"/>')
    out.append(f'<text x="{x(2.2):.1f}" y="{y(points["d"][14][1]) - 8:.1f}">radiation alone</text>')
    out.append(f'<text x="{x(2.2):.1f}" y="{y(points["l"][14][1]) - 8:.1f}">all losses</text>')
    return "\n".join([*out, "</svg>\n"])


def table(kind: Kind) -> list[str]:
    """Return the recording drum's card as a Markdown table."""
    found = predicted_card(predicted(kind, {}), kind)
    out = ["| quantity | value | ± | unit |", "|---|---|---|---|"]
    for name, q in found.items():
        out.append(f"| {name} | {q.value:.3g} | {q.sd:.2g} | {q.unit} |")
    return out


INTRO = """# The drum model at a glance

Written by `python -m scripts.model_page`: every figure and drawing below is computed.
Three recording drums, each choice changed alone, at the **same drum pitch**; bars are
just-noticeable steps (`planning/steps.toml`), to the right for more, to the left for less; an
orange bar runs off the scale (6 steps). Coefficients with their sources and spreads:
`core/acoustics/coefficients.toml`; catalogue: `core/catalogue/data/`.

## Where the model does not say what players say

- *Equal heads ring longest.* Radiation alone does peak at equal lug pitches and falls on both
  sides (dashed below); with the losses of film and edge in, the peak is less than one step high.
- *Cast hoops are brighter.* Here a hoop only takes from the length.
- *Double ply has more attack.* So it has here, because what follows is shorter, not because the
  stroke is harder.

![Sustain against the relation of the heads](model/relation.svg)
"""


def main() -> None:
    """Write the page and its drawings."""
    drawings = FOLDER / "model"
    drawings.mkdir(exist_ok=True)
    (drawings / "relation.svg").write_text(relation_chart(), encoding="utf-8")
    lines = [INTRO]
    kinds: tuple[Kind, ...] = ("tom", "snare", "kick")
    for kind in kinds:
        hz, semitones = TUNED[kind]
        (drawings / f"{kind}.svg").write_text(chart(kind), encoding="utf-8")
        lines.append(f"## {DRUMS[kind].name}\n")
        lines.append(
            f"Drum pitch {hz:g} Hz, reso {semitones:g} semitones above the batter, nothing on it.\n"
        )
        lines += table(kind)
        lines.append(f"\n![{DRUMS[kind].name}: what each choice does](model/{kind}.svg)\n")
    (FOLDER / "model.md").write_text("\n".join(lines), encoding="utf-8")


if __name__ == "__main__":
    main()
