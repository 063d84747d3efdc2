"""Write docs/model.md and its drawings: what each choice does to three recording drums.

``python -m scripts.model_page``; every figure and mark is computed, nothing is drawn by hand.
"""

import math
from pathlib import Path
from typing import Any

from bench.advice import RULES
from bench.practice import ROWS, WHY_NOT
from bench.practice_drums import DRUMS, TUNED, card, predicted
from emblar.core.acoustics.cavity import coupled_modes
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.damping import radiation_rate, t60_s
from emblar.core.acoustics.drum import Kind
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import EmblarError
from emblar.core.planning.kit import model
from emblar.core.planning.predicted import predicted_card
from emblar.core.quantities.registry import steps

FOLDER = Path(__file__).parent.parent / "docs"
SHOWN = ("bend", "sustain", "length", "attack", "click", "body", "ring", "wires")
MOST_STEPS = 6.0
ROW = 20
LEFT = 300
COLUMN = 78
STYLE = (
    "text{font:12px sans-serif;fill:#15201c}.m{fill:#56655f}.h{stroke:#c6d0ca}"
    ".b{fill:#15201c}.o{fill:#bf4a0a}.l{stroke:#2a3eb1;stroke-width:2;fill:none}"
    ".d{stroke:#15201c;stroke-width:1.5;stroke-dasharray:6 4;fill:none}"
)


def choices(kind: Kind) -> list[tuple[str, dict[str, Any]]]:
    """Return every choice of the catalogue for a kind of drum, with what to call it."""
    rows: list[tuple[str, dict[str, Any]]] = []
    rows += [
        (f"batter {c.name}", {"batter": c.id}) for c in SHIPPED.constructions_for(kind, "batter")
    ]
    rows += [(f"reso {c.name}", {"reso": c.id}) for c in SHIPPED.constructions_for(kind, "reso")]
    rows += [(f"reso {s:+d} semitones", {"semitones": float(s)}) for s in (-3, 0, 5)]
    if kind == "kick":
        rows += [(f"port {p} in", {"port_in": float(p)}) for p in (4, 5, 6, 10)]
        rows += [("no front head", {"front_off": True})]
        rows += [("hole of 4 in in the shell", {"shell_hole_in": 4.0})]
    rows += [(f"hoop {h.name}", {"hoop": h.id}) for h in SHIPPED.hoops.values()]
    rows += [(f"edge {e.name}", {"edge": e.id}) for e in SHIPPED.edges.values()]
    rows += [(f"shell {s.name}", {"shell": s.id}) for s in SHIPPED.shells.values()]
    depth = DRUMS[kind].depth_in
    rows += [(f"depth {d:g} in", {"depth_in": d}) for d in (0.7 * depth, 1.4 * depth)]
    rows += [(s.name, {"striker": s.id}) for s in SHIPPED.strikers_for(kind)]
    if kind == "snare":
        rows += [(w.name, {"wires_setting": w.id}) for w in SHIPPED.wire_settings.values()]
    rows += [(d.name, {"dampers": (d.id,)}) for d in SHIPPED.dampers_for(kind)]
    return rows


def chart(kind: Kind) -> str:
    """Return the drawing of every choice's effect in steps, as SVG."""
    base = card(kind)
    names = [n for n in SHOWN if n in base]
    rows = choices(kind)
    height = ROW * (len(rows) + 2)
    width = LEFT + COLUMN * len(names) + 10
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" role="img">'
        f"<title>{DRUMS[kind].name}: what each choice does, in just-noticeable steps</title>"
        f"<style>{STYLE}</style>"
    ]
    for column, name in enumerate(names):
        middle = LEFT + COLUMN * (column + 0.5)
        out.append(f'<text x="{middle}" y="14" text-anchor="middle">{name}</text>')
        out.append(f'<line class="h" x1="{middle}" x2="{middle}" y1="20" y2="{height}"/>')
    for row, (title, changes) in enumerate(rows):
        y = ROW * (row + 1.9)
        out.append(f'<text x="{LEFT - 12}" y="{y}" text-anchor="end">{title}</text>')
        try:
            result = card(kind, **changes)
        except EmblarError:
            out.append(f'<text class="m" x="{LEFT}" y="{y}">cannot reach this pitch</text>')
            continue
        for column, name in enumerate(names):
            middle = LEFT + COLUMN * (column + 0.5)
            if name not in result:
                out.append(f'<text class="m" x="{middle}" y="{y}">?</text>')
                continue
            apart = steps()[name].apart(result[name], base[name])
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
        result = predicted("tom", semitones=semitones)
        drum = model(SHIPPED, DRUMS["tom"])
        mode = coupled_modes(drum, result.tensions, 0, k)[0]
        points["l"].append((semitones, result.sustain.value))
        points["d"].append((semitones, t60_s(radiation_rate(mode, drum, k))))
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" role="img">'
        "<title>Sustain of the tom at 110 Hz against the relation of its heads</title>"
        f"<style>{STYLE}</style>"
    ]
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
    out.append(
        f'<text class="m" x="{(left + width) / 2}" y="{height - 6}" text-anchor="middle">'
        "reso above batter, semitones</text>"
    )
    for cls, rows in points.items():
        path = " ".join(f"{x(a):.1f},{y(b):.1f}" for a, b in rows)
        out.append(f'<polyline class="{cls}" points="{path}"/>')
    out.append(f'<text x="{x(2.2):.1f}" y="{y(points["d"][14][1]) - 8:.1f}">radiation alone</text>')
    out.append(f'<text x="{x(2.2):.1f}" y="{y(points["l"][14][1]) - 8:.1f}">all losses</text>')
    return "\n".join([*out, "</svg>\n"])


def table(kind: Kind) -> list[str]:
    """Return the recording drum's card as a Markdown table."""
    result = predicted_card(predicted(kind), kind)
    out = ["| quantity | value | ± | unit |", "|---|---|---|---|"]
    for name, q in result.items():
        out.append(f"| {name} | {q.value:.3g} | {q.sd:.2g} | {q.unit} |")
    return out


INTRO = """# The drum model at a glance

Written by `python -m scripts.model_page`: every figure and drawing below is computed.
Three reference drums, each choice changed alone, at the **same drum pitch**; bars are
just-noticeable steps (`quantities/registry.toml`), to the right for more, to the left for less; an
orange bar runs off the scale (6 steps). Coefficients with their sources and spreads:
`core/acoustics/coefficients.toml`; catalogue: `core/catalogue/data/`.

## What practice says, and what the model says

Each row is tested (`bench.practice`); figures in steps unless a unit stands with them.
"""
TRIED = """
### Tried and left

- *Tight snares.* Film stiffness against bending is worth a thousandth of the tension, stretching
  three cents, and a compliant edge would lower the note instead. Less air outside a drum whose
  heads move the same way (half of the baffled air, as of a free disc) lifts snares by 57 cents at
  a share of 0.6, but at every tension, and toms by 42, which practice reads rightly as they are. So
  the stiffening of a tight snare's batter is a coefficient with practice for its source.
- *The relation of the heads.* Radiation alone (dashed below) peaks at equal heads; with all losses
  in, nothing is left to see.

![Sustain against the relation of the heads](model/relation.svg)
"""


def practice_table() -> list[str]:
    """Return what practice says with the model's figures now, as a Markdown table."""
    out = ["| | practice | model now | |", "|---|---|---|---|"]
    for row in ROWS:
        result = row.measure()
        says = "agrees" if result.agrees else f"**does not.** {WHY_NOT.get(row.number, '')}"
        out.append(f"| {row.number} | {row.practice} | {result.figures} | {says} |")
    return out


def advice_table() -> list[str]:
    """Return what a plan keeps to with what was counted, as a Markdown table."""
    out = [
        "",
        "## What a plan keeps to",
        "",
        "Counted by `bench.advice` on the twenty plans of `bench.independent` and on a few of its "
        "own.",
        "",
        "| | rule | where it stands | now |",
        "|---|---|---|---|",
    ]
    for rule in RULES:
        says, kept = rule.check()
        out.append(
            f"| B{rule.number} | {rule.says} | {rule.where} | {'' if kept else '**not:** '}{says} |"
        )
    return [*out, ""]


def main() -> None:
    """Write the page and its drawings."""
    drawings = FOLDER / "model"
    drawings.mkdir(exist_ok=True)
    (drawings / "relation.svg").write_text(relation_chart(), encoding="utf-8")
    lines = [INTRO, *practice_table(), TRIED, *advice_table()]
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
