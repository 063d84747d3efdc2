import itertools
import math
import xml.etree.ElementTree as ET

import pytest
from markupsafe import Markup

from emblar.frame.drawing.decay import decay
from emblar.frame.drawing.kit_strip import StripDrum, kit_strip
from emblar.frame.drawing.ladder import Ladder, ladder
from emblar.frame.drawing.overtones import DrawnPartial, overtones
from emblar.frame.drawing.pitch_track import pitch_track
from emblar.frame.drawing.rulers import RulerRow, rulers
from emblar.frame.drawing.scale import Linear, Log, round_steps
from emblar.frame.drawing.section import Section, SectionDamper, SectionHead, section
from emblar.frame.drawing.svg import el
from emblar.steps.listen.drawing.lanes import Lane, LaneStroke, lanes


def read(markup: Markup) -> ET.Element:
    return ET.fromstring(str(markup))


def classes(root: ET.Element, name: str) -> list[ET.Element]:
    return [e for e in root.iter() if name in (e.get("class") or "").split()]


def texts(root: ET.Element) -> list[str]:
    return [e.text or "" for e in root.iter("text")]


def test_what_is_typed_is_escaped() -> None:
    assert "<script>" not in el("text", "<script>", title='"><x')


def test_scales_place_values_and_hold_them_inside() -> None:
    assert Linear(0, 10, 100, 200)(5) == 150
    assert Linear(0, 10, 100, 200).held(99) == 200
    assert Log(100, 400, 0, 1)(200) == pytest.approx(0.5)
    assert [round_steps(12, 8), round_steps(1.5, 8)] == [2.0, 0.2]


def test_the_strip_draws_drums_to_scale_with_their_state_in_words() -> None:
    drums = [
        StripDrum("d1", "Rack 12", "tom", 12, "half", True, "/a"),
        StripDrum("d2", "Kick 22", "kick", 22, "dotted", False, "/b"),
        StripDrum("snare", "snare", "snare", None, "dotted", False, "/c"),
    ]
    root = read(kit_strip(drums))
    heads = [float(e.get("r") or 0) for e in classes(root, "strip-head")]
    assert heads[1] / heads[0] == pytest.approx(22 / 12)
    links = list(root.iter("a"))
    assert [a.get("href") for a in links] == ["/a", "/b", "/c"]
    assert links[0].get("aria-label") == "Rack 12, planned"
    assert [a.get("aria-current") for a in links] == ["true", None, None]
    assert "?" in texts(root)


def test_lanes_draw_one_stroke_a_hit_tall_when_loud_hollow_when_unclean() -> None:
    strokes = [LaneStroke(0, 1.0, 0.0, True, 0.9), LaneStroke(1, 2.0, 18.0, False, 0.9)]
    root = read(lanes([Lane("tom-1", 2, "/x", True, strokes)], 0.0, 4.0))
    drawn = classes(root, "stroke")
    assert [e.get("data-hit") for e in drawn] == ["0", "1"]
    assert float(drawn[0].get("height") or 0) > float(drawn[1].get("height") or 0)
    assert "unclean" in (drawn[1].get("class") or "")
    assert float(drawn[0].get("x") or 0) < float(drawn[1].get("x") or 0)
    assert any(t.startswith("0:0") for t in texts(root))


def test_the_pitch_track_says_how_it_starts_and_where_it_settles() -> None:
    times = [0.02 * i for i in range(1, 25)]
    gliding = [100.0 * 2 ** (80 * math.exp(-12 * t) / 1200) for t in times]
    said = texts(read(pitch_track([(times, gliding)] * 3, 100.0, 0.5)))
    assert any("sharp" in t for t in said)
    assert "settled 100.0 ± 0.5 Hz" in said
    steady = texts(read(pitch_track([(times, [100.0] * 24)], 100.0, 0.5)))
    assert "steady from the start" in steady


HEAD = SectionHead("double ply, coated", 2, True, False, 208.0)


def test_the_section_draws_plies_coating_port_and_dampers() -> None:
    model = Section(
        "Kick",
        22,
        16,
        10,
        HEAD,
        SectionHead("single ply", 1, False, True, 90.0),
        5.0,
        [SectionDamper("pillow", True, 0.7)],
    )
    root = read(section(model))
    assert len(classes(root, "film")) == 2 + 2, "two plies; one ply cut by the port"
    assert len(classes(root, "coating")) == 1
    assert len(classes(root, "ring-mark")) == 2
    assert len(classes(root, "damper")) == 1
    assert any("lug 208 Hz" in t for t in texts(root))
    assert "port 5 in" in texts(root)


def test_the_ladder_keeps_texts_apart_and_orders_pitches() -> None:
    root = read(ladder(Ladder(208.0, 210.0, 126.0, 4.0, 126.4, 0.5, (60.0, 250.0))))
    marks = [
        e for e in root.iter("text") if any(w in (e.text or "") for w in ("lug", "plan", "record"))
    ]
    ys = sorted(float(e.get("y") or 0) for e in marks)
    assert len(ys) == 4
    assert min(b - a for a, b in itertools.pairwise(ys)) >= 16.9
    assert len(classes(root, "range")) == 1


def test_rulers_place_the_plan_in_steps_and_point_past_the_end() -> None:
    rows = [
        RulerRow("pitch", "126 Hz", "126 Hz", 0.0, 2.0, 0.2, ""),
        RulerRow("ring", "−16 dB", "−2 dB", 9.0, 1.0, 0.2, ""),
        RulerRow("wires", "cannot tell", "1 dB", None, 0.0, 0.0, "no clean stroke"),
    ]
    root = read(rulers(rows))
    assert len(classes(root, "plan-diamond")) == 1
    assert len(classes(root, "plan-arrow")) == 1
    assert "no clean stroke" in texts(root)
    described = root.find("desc")
    assert described is not None
    assert "+9.0 steps" in (described.text or "")


def test_the_decay_draws_a_curve_a_stroke_and_says_how_long_it_rings() -> None:
    curves = [([0.0, 0.2, 0.4], [0.0, -12.0, -24.0]), ([0.0, 0.3], [0.0, -18.0])]
    svg = decay(curves, 1.0, 0.1)
    assert svg.count('class="record-faint"') == 2
    assert "−60 dB in 1.00 ± 0.10 s" in svg
    assert "cannot be told" in decay(curves, None, None)


def test_partials_are_stems_named_where_a_mode_fits() -> None:
    svg = overtones(
        120.0, [DrawnPartial(191.0, -6.0, 0.4, "(1,1)"), DrawnPartial(480.0, -20.0, None, "")]
    )
    assert svg.count('class="record-mark"') == 3
    assert "mode (1,1), 191 Hz, -6 dB, rings 0.40 s" in svg
    assert "480 Hz, -20 dB" in svg
    assert "(0,1)" in svg
