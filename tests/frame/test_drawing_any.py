"""Drawings of whatever numbers come: inside their box, in order, apart, said in words."""

import itertools
import xml.etree.ElementTree as ET

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from markupsafe import Markup

from emblar.frame.drawing.ladder import Ladder, ladder
from emblar.frame.drawing.rulers import RulerRow, rulers
from emblar.frame.drawing.section import Section, SectionDamper, SectionHead, section
from emblar.frame.drawing.small_ruler import small_ruler
from emblar.steps.plan.drawing.two_ways import two_ways

HZ = st.floats(30.0, 500.0)
STEPS = st.floats(-30.0, 30.0)
QUICK = settings(max_examples=40, deadline=None)


def steps_of(*names: str) -> st.SearchStrategy[dict[str, float]]:
    return st.dictionaries(st.sampled_from(names), STEPS, min_size=1)


def read(markup: Markup) -> ET.Element:
    return ET.fromstring(str(markup))


def of_class(root: ET.Element, name: str) -> list[ET.Element]:
    return [e for e in root.iter() if name in (e.get("class") or "").split()]


def box(root: ET.Element) -> tuple[float, float]:
    _, _, width, height = (float(v) for v in (root.get("viewBox") or "").split())
    return width, height


def places(root: ET.Element) -> list[tuple[float, float]]:
    found = []
    for e in root.iter():
        for x, y in (("x", "y"), ("x1", "y1"), ("x2", "y2"), ("cx", "cy")):
            if e.get(x) is not None and e.get(y) is not None:
                found.append((float(e.get(x) or 0), float(e.get(y) or 0)))
        for pair in (e.get("points") or "").split():
            px, py = pair.split(",")
            found.append((float(px), float(py)))
    return found


def inside(root: ET.Element, slack: float) -> bool:
    width, height = box(root)
    return all(
        -slack <= x <= width + slack and -slack <= y <= height + slack for x, y in places(root)
    )


@given(HZ, st.none() | HZ, HZ, st.none() | HZ)
@QUICK
def test_a_ladder_of_any_pitches_is_in_order_and_its_texts_do_not_collide(
    batter: float, reso: float | None, plan: float, record: float | None
) -> None:
    root = read(ladder(Ladder(batter, reso, plan, 3.0, record, 0.5, (0.7 * plan, 1.6 * plan))))
    texts = [
        (float(e.get("y") or 0), e.text or "")
        for e in root.iter("text")
        if (e.text or "").startswith(("batter", "reso", "plan", "record"))
    ]
    assert len(texts) == 2 + (reso is not None) + (record is not None)
    ys = sorted(y for y, _ in texts)
    assert all(b - a > 16.0 for a, b in itertools.pairwise(ys))
    marks = of_class(root, "lug-mark") + of_class(root, "plan-mark") + of_class(root, "record-mark")
    assert all(20.0 <= float(m.get("y1") or 0) <= 260.0 for m in marks)
    lugs = [float(m.get("y1") or 0) for m in of_class(root, "lug-mark")]
    lug = min(lugs) if reso is None or batter >= reso else max(lugs)
    own = float(of_class(root, "plan-mark")[0].get("y1") or 0)
    assume(abs(batter / plan - 1.0) > 0.01)
    assert (lug < own) == (batter > plan), "higher pitches stand higher"


@given(st.lists(st.tuples(STEPS, st.floats(0.0, 9.0), st.floats(0.0, 9.0)), min_size=1, max_size=9))
@QUICK
def test_rulers_of_any_distance_point_the_right_way(rows: list[tuple[float, ...]]) -> None:
    made = [RulerRow(f"q{i}", "1", "2", s, sd, rec, "") for i, (s, sd, rec) in enumerate(rows)]
    root = read(rulers(made))
    assert inside(root, 8.0)
    marks = of_class(root, "plan-diamond") + of_class(root, "plan-arrow")
    assert len(marks) == len(rows)
    assert len(of_class(root, "plan-arrow")) == sum(abs(s) > 4.5 for s, *_ in rows)
    middle = float(of_class(root, "record-mark")[0].get("x1") or 0)
    ordered = sorted(marks, key=lambda m: float((m.get("points") or "").split(",")[1].split()[0]))
    for mark, (distance, *_) in zip(ordered, rows, strict=True):
        xs = [float(p.split(",")[0]) for p in (mark.get("points") or "").split()]
        assert (sum(xs) / len(xs) > middle) == (distance > 0.0) or abs(distance) < 0.1


@given(st.floats(0.0, 20.0), st.none() | STEPS, st.none() | STEPS)
@QUICK
def test_a_small_ruler_holds_soft_and_loud_inside_and_says_them(
    sd: float, soft: float | None, loud: float | None
) -> None:
    root = read(small_ruler("length", sd, soft, loud))
    assert inside(root, 1.0)
    assert len(of_class(root, "part-mark")) == (soft is not None) + (loud is not None)
    said = root.findtext("desc") or ""
    assert f"uncertain by {sd:.1f} steps" in said
    assert ("soft strokes" in said) == (soft is not None)
    assert ("loud strokes" in said) == (loud is not None)


@given(
    st.dictionaries(
        st.sampled_from(["pitch", "bend", "length", "click", "body"]), STEPS, min_size=1
    ),
    st.dictionaries(
        st.sampled_from(["pitch", "bend", "length", "click", "ring"]), STEPS, min_size=1
    ),
)
@QUICK
def test_two_ways_show_every_quantity_of_either(
    left: dict[str, float], right: dict[str, float]
) -> None:
    root = read(two_ways("kick", left, right))
    names = set(left) | set(right)
    assert inside(root, 8.0)
    assert len(of_class(root, "hairline")) == len(names)
    assert len(of_class(root, "plan-arrow")) == len(left)
    assert len(of_class(root, "plan-diamond")) == len(right)
    said = root.findtext("desc") or ""
    assert said.count("not told") == len(names - set(left)) + len(names - set(right))


@pytest.mark.parametrize("port", [None, 4.0, 7.0])
@pytest.mark.parametrize(("diameter", "depth"), [(8, 4), (14, 5.5), (16, 16), (26, 14)])
def test_a_section_keeps_the_drums_shape_and_stays_in_its_box(
    diameter: float, depth: float, port: float | None
) -> None:
    head = SectionHead("single ply", 1, False, False, 90.0)
    dampers = [SectionDamper("tape", True, 0.85), SectionDamper("pillow", False, 0.0)]
    root = read(section(Section("A drum", diameter, depth, 8, head, head, port, dampers)))
    shell = of_class(root, "shell")
    left, right = (float(e.get("x") or 0) for e in shell)
    wide = right + float(shell[1].get("width") or 0) - left
    assert wide / float(shell[0].get("height") or 0) == pytest.approx(diameter / depth, rel=0.01)
    assert inside(root, 4.0)
    assert len(of_class(root, "film")) == (2 if port is None else 3)
    assert "tape on the batter." in (root.findtext("desc") or "")
