"""The work on a drum: what comes when, and how a kick of a size is brought to its pitch."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from emblar.core.acoustics.drum import Kind, Side
from emblar.core.planning.kick_window import Manner, kick_manner, kick_window
from emblar.core.tuning.procedure import Work, job_texts, jobs

MANNERS: tuple[Manner, ...] = ("wrinkle", "wrinkle-large", "finger", "tone")


def names(work: Work) -> list[str]:
    return [job.id for job in jobs(work)]


def test_a_new_head_is_mounted_seated_brought_up_and_settled_in_that_order() -> None:
    found = names(Work("snare", {"batter": True}, has_reso=True, damped=True))
    new = ["mount-batter", "finger-batter", "seat-batter", "even-batter", "settle-batter"]
    assert [name for name in found if name.endswith("-batter")] == new
    assert found.index("even-reso") < found.index("mount-batter") < found.index("again-reso")
    assert found[-4:] == ["wires", "place", "dampers", "listen"]


def test_a_kicks_batter_is_told_by_its_manner_and_its_front_as_a_front() -> None:
    for manner in MANNERS:
        work = Work("kick", {}, has_reso=True, damped=False, kick=manner)
        texts = {job.side: job.text for job in jobs(work) if job.id.startswith("even")}
        assert texts == {"batter": f"even-{manner}", "reso": "even-front"}
        assert all(job.tunes for job in jobs(work) if job.id.startswith("even"))


def test_low_is_the_wrinkle_point_high_a_tone_and_a_large_kick_passes_the_wrinkle() -> None:
    assert kick_manner(20.0, 47.0) == "wrinkle"
    assert kick_manner(22.0, 41.0) == "wrinkle"
    assert kick_manner(26.0, 36.0) == "wrinkle-large"
    assert kick_manner(22.0, 60.0) == "finger"
    assert kick_manner(18.0, 140.0) == "tone"


@given(st.floats(14.0, 30.0), st.floats(0.0, 1.0), st.floats(0.0, 1.0))
def test_higher_is_never_a_lower_manner(size: float, one: float, other: float) -> None:
    window = kick_window(size)
    low, high = sorted((one, other))
    order = ["wrinkle", "wrinkle-large", "finger", "tone"]
    at = [
        order.index(kick_manner(size, window.low_hz * (window.high_hz / window.low_hz) ** share))
        for share in (low, high)
    ]
    assert at[0] <= at[1]


KINDS: tuple[Kind, ...] = ("kick", "snare", "tom")


@pytest.mark.parametrize("kind", KINDS)
def test_every_job_has_its_text_and_no_id_stands_twice(kind: Kind) -> None:
    sides: list[dict[Side, bool]] = [{}, {"batter": True}, {"batter": False, "reso": True}]
    flags = (True, False)
    for changes, two, damped, off in itertools.product(sides, flags, flags, flags):
        kick: Manner | None = "finger" if kind == "kick" else None
        found = jobs(Work(kind, changes, two, damped, off, kick))
        assert len({job.id for job in found}) == len(found)
        assert all(job.text in job_texts() for job in found)


def test_a_snare_side_is_never_pressed_and_its_wires_are_off_before_it_is_tapped() -> None:
    work = Work("snare", {"batter": True, "reso": True}, has_reso=True, damped=False)
    found = {job.id: job_texts()[job.text].on("snare", job.side) for job in jobs(work)}
    for name in ("finger-reso", "seat-reso", "settle-reso"):
        assert "not press" in found[name].what, name
        assert "palm" not in found[name].what
    for name in ("as-found", "even-reso", "even-batter", "again-reso"):
        assert "wires off" in found[name].what, name
    mount = found["mount-reso"].what
    assert mount.index("take them off the drum") < mount.index("take the old")
    assert mount.index("Loosen every rod") < mount.index("take the old")
    assert "palm" in job_texts()["seat"].on("tom", "reso").what
