import numpy as np
import pytest

from emblar.core.analysis.card.articulation import with_manners
from emblar.core.analysis.card.clean import AnalysedHit, mark_clean
from emblar.core.analysis.card.dynamics import soft_and_loud

RATE = 44100
SECONDS = 9.0


def snare(body: float, middle: float, wires: float) -> np.ndarray:
    """One stroke with so much body at 190 Hz, ring at 900 Hz and wires."""
    t = np.arange(int(0.4 * RATE)) / RATE
    rng = np.random.default_rng(2)
    noise = np.diff(rng.standard_normal(len(t) + 1)) * np.exp(-t / 0.06)
    tone = body * np.sin(2 * np.pi * 190 * t) * np.exp(-t / 0.08)
    ring = middle * np.sin(2 * np.pi * 900 * t) * np.exp(-t / 0.04)
    return tone + ring + wires * noise


PLAIN = snare(1, 0.25, 0.3)
RIM = snare(1, 0.8, 0.4)
STICK = snare(0.03, 0.7, 0.004)


def played(rows: list[tuple[float, np.ndarray, float]]) -> tuple[list[AnalysedHit], np.ndarray]:
    mono = np.zeros(int(SECONDS * RATE))
    hits = []
    for time_s, stroke, force in rows:
        first = int(time_s * RATE)
        mono[first : first + len(stroke)] += 0.3 * force * stroke[: len(mono) - first]
        level = 20 * np.log10(force * np.abs(stroke[:2000]).mean() + 1e-9)
        hits.append(AnalysedHit(time_s, "snare", float(level), 0.9, True))
    return hits, mono


def manners(rows: list[tuple[float, np.ndarray, float]]) -> list[str]:
    hits, mono = played(rows)
    return [h.manner for h in with_manners(hits, mono)]


def test_plain_strokes_have_no_manner() -> None:
    assert set(manners([(0.5 * i + 0.2, PLAIN, 1.0 - 0.03 * i) for i in range(10)])) == {""}


@pytest.mark.parametrize(
    ("stroke", "force", "manner"),
    [(STICK, 1.0, "cross-stick"), (RIM, 1.1, "rimshot"), (PLAIN, 0.15, "ghost")],
)
def test_a_stroke_unlike_the_others_is_told(stroke: np.ndarray, force: float, manner: str) -> None:
    rows = [(0.5 * i + 0.2, PLAIN, 1.0) for i in range(8)]
    rows[3] = (rows[3][0], stroke, force)
    rows[6] = (rows[6][0], stroke, force)
    found = manners(rows)
    assert [i for i, m in enumerate(found) if m == manner] == [3, 6]
    assert set(found) == {"", manner}


def test_a_flam_is_two_strokes_close_together_the_first_softer() -> None:
    rows = [(0.5 * i + 0.2, PLAIN, 1.0) for i in range(6)]
    assert manners([*rows[:3], (1.17, PLAIN, 0.5), *rows[3:]]).count("flam") == 0
    grace = (rows[3][0] - 0.03, PLAIN, 0.6)
    found = manners([*rows[:3], grace, *rows[3:]])
    assert [i for i, m in enumerate(found) if m == "flam"] == [3, 4]


def test_with_a_kick_under_it_the_colour_of_a_snare_is_not_told() -> None:
    rows = [(0.5 * i + 0.2, PLAIN, 1.0) for i in range(8)]
    rows[3] = (rows[3][0], STICK, 1.0)
    hits, mono = played(rows)
    kick = AnalysedHit(rows[3][0], "kick", -3.0, 0.9, True)
    found = with_manners([*hits, kick], mono)
    assert all(h.manner == "" for h in found)


def test_only_strokes_in_the_named_regions_are_measured() -> None:
    hits, _ = played([(0.5 * i + 0.2, PLAIN, 1.0) for i in range(8)])
    marked = mark_clean(hits, SECONDS, [(1.0, 2.0)])
    assert [h.time_s for h in marked if h.clean] == [1.2, 1.7]


def test_soft_and_loud_strokes_are_parted_at_the_gap() -> None:
    levels = [-6.0, -20.0, -7.0, -21.0, -6.5, -19.0]
    pitch = [100.0, 98.0, 101.0, 97.0, None, 98.5]
    parts = soft_and_loud(levels, {"pitch": (pitch, "Hz")})
    assert parts is not None
    soft, loud = parts
    assert (soft.strokes, loud.strokes) == (3, 3)
    assert soft.values["pitch"].value == 98.0
    assert loud.values["pitch"].value == 100.5


@pytest.mark.parametrize("levels", [[-6.0, -7.0, -6.5, -8.0], [-6.0, -30.0], []])
def test_strokes_about_as_loud_are_not_parted(levels: list[float]) -> None:
    assert soft_and_loud(levels, {}) is None
