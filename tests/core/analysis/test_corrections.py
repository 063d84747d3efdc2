from collections.abc import Callable, Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st

from emblar.core.analysis.card.clean import AnalysedHit
from emblar.core.analysis.corrections import (
    Edit,
    Seen,
    applied,
    give_voice,
    merge_tom,
    move,
    put_in,
    replayed,
    split_tom,
    take_out,
    take_out_voice,
)
from emblar.core.errors import ConflictError, InputError
from emblar.core.voices import checked_voice

VOICES = ("kick", "snare", "tom-1", "tom-2", "tom-3", "hat")


def hit(time_s: float, voice: str) -> AnalysedHit:
    return AnalysedHit(time_s, voice, -12.0, 0.8, True)


HITS = [
    hit(0.5, "kick"),
    hit(1.0, "tom-1"),
    hit(1.5, "tom-1"),
    hit(2.0, "tom-2"),
    hit(2.5, "tom-3"),
]


def names(hits: Sequence[AnalysedHit]) -> list[tuple[float, str]]:
    return [(h.time_s, h.voice) for h in hits]


@given(
    st.lists(st.tuples(st.integers(0, 400), st.sampled_from(VOICES)), min_size=1, unique=True),
    st.data(),
)
def test_every_edit_taken_back_leaves_what_was_there(
    rows: list[tuple[int, str]], data: st.DataObject
) -> None:
    hits = sorted((hit(t / 40.0, v) for t, v in rows), key=lambda h: (h.time_s, h.voice))
    index = data.draw(st.integers(0, len(hits) - 1))
    seen = Seen(hits[index].time_s, hits[index].voice)
    edits = [take_out(hits, [seen]), put_in(hits, 99.0, "snare", -20.0)]
    free = [v for v in VOICES if (hits[index].time_s, v) not in set(names(hits))]
    if free:
        edits.append(move(hits, [seen], data.draw(st.sampled_from(free))))
    for edit in edits:
        assert applied(applied(hits, edit), edit.undone()) == hits


def test_a_moved_stroke_is_sure_and_on_its_new_voice() -> None:
    after = applied(HITS, move(HITS, [Seen(1.0, "tom-1")], "snare"))
    assert (1.0, "snare") in names(after)
    assert (1.0, "tom-1") not in names(after)
    assert next(h for h in after if h.voice == "snare").confidence == 1.0


def test_splitting_a_tom_cuts_at_the_widest_gap_and_numbers_the_others_anew() -> None:
    edit = split_tom(HITS, "tom-1", [130.0, 104.0])
    assert names(applied(HITS, edit)) == [
        (0.5, "kick"),
        (1.0, "tom-1"),
        (1.5, "tom-2"),
        (2.0, "tom-3"),
        (2.5, "tom-4"),
    ]
    assert edit.renamed == (("tom-2", "tom-3"), ("tom-3", "tom-4"))


def test_merging_toms_numbers_the_lower_ones_anew() -> None:
    edit = merge_tom(HITS, "tom-1")
    assert [v for _, v in names(applied(HITS, edit))] == ["kick", *["tom-1"] * 3, "tom-2"]
    assert edit.renamed == (("tom-3", "tom-2"),)
    assert applied(applied(HITS, edit), edit.undone()) == HITS


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        (lambda: move(HITS, [Seen(9.0, "kick")], "snare"), "not there any more"),
        (lambda: move(HITS, [Seen(0.5, "kick")], "cowbell"), "no voice"),
        (
            lambda: move([*HITS, hit(0.5, "snare")], [Seen(0.5, "kick")], "snare"),
            "a snare stroke at 0.50 s already",
        ),
        (lambda: merge_tom(HITS, "tom-3"), "no tom below"),
        (lambda: merge_tom(HITS, "kick"), "no tom"),
        (lambda: split_tom(HITS, "tom-1", [None, 100.0]), "too few strokes"),
        (lambda: split_tom(HITS, "tom-1", [100.0, 100.5]), "that is one drum"),
        (lambda: applied(HITS, Edit("x", (hit(7.0, "kick"),), ())), "is not there any more"),
        (lambda: checked_voice("tom-0"), "no voice"),
    ],
)
def test_what_cannot_be_corrected_is_told(edit: Callable[[], object], says: str) -> None:
    with pytest.raises((InputError, ConflictError), match=says):
        edit()


def test_several_strokes_are_moved_and_removed_together() -> None:
    two = [Seen(1.0, "tom-1"), Seen(1.5, "tom-1")]
    edit = move(HITS, two, "snare")
    assert edit.says == "2 strokes moved to snare"
    assert {h.voice for h in applied(HITS, edit) if h.time_s in (1.0, 1.5)} == {"snare"}
    gone = take_out(HITS, two)
    assert gone.says == "2 strokes removed"
    assert applied(applied(HITS, gone), gone.undone()) == HITS
    with pytest.raises(InputError, match="Choose a stroke first"):
        take_out(HITS, [])


def test_a_drum_that_is_not_on_the_record_goes_and_the_toms_below_move_up() -> None:
    edit = take_out_voice(HITS, "tom-1")
    after = applied(HITS, edit)
    assert names(after) == [(0.5, "kick"), (2.0, "tom-1"), (2.5, "tom-2")]
    assert dict(edit.renamed) == {"tom-2": "tom-1", "tom-3": "tom-2"}
    assert applied(after, edit.undone()) == HITS


def test_all_strokes_of_a_drum_are_given_to_another() -> None:
    edit = give_voice([*HITS, hit(3.0, "tom-3")], "tom-2", "snare")
    after = applied([*HITS, hit(3.0, "tom-3")], edit)
    assert (2.0, "snare") in names(after)
    assert (3.0, "tom-2") in names(after)
    with pytest.raises(InputError, match="merge two toms"):
        give_voice(HITS, "tom-2", "tom-1")


def test_corrections_are_made_again_on_strokes_found_a_little_elsewhere() -> None:
    edits = [
        move(HITS, [Seen(0.5, "kick")], "snare"),
        take_out(HITS, [Seen(2.0, "tom-2")]),
        take_out(HITS, [Seen(2.5, "tom-3")]),
    ]
    anew = [hit(0.503, "kick"), hit(1.0, "tom-1"), hit(2.01, "tom-2"), hit(7.0, "tom-3")]
    now, made = replayed(anew, edits)
    assert names(now) == [(0.503, "snare"), (1.0, "tom-1"), (7.0, "tom-3")]
    assert [edit is not None for edit in made] == [True, True, False]
    assert made[0] is not None
    assert names(applied(now, made[0].undone()))[0] == (0.503, "kick")


def test_strokes_that_clash_stay_and_are_named_while_the_others_move() -> None:
    hits = sorted([*HITS, hit(1.5, "snare")], key=lambda h: (h.time_s, h.voice))
    edit = move(hits, [Seen(1.0, "tom-1"), Seen(1.5, "tom-1"), Seen(2.0, "tom-2")], "snare")
    after = applied(hits, edit)
    assert [(h.time_s, h.voice) for h in after if h.voice == "snare"] == [
        (1.0, "snare"),
        (1.5, "snare"),
        (2.0, "snare"),
    ]
    assert (1.5, "tom-1") in names(after)
    assert edit.says.startswith("2 strokes moved to snare; 1 stayed: snare has a stroke at 1.50 s")
    with pytest.raises(InputError, match=r"snare stroke at 1\.50 s already"):
        move(hits, [Seen(1.5, "tom-1")], "snare")


def test_two_chosen_strokes_at_one_time_do_not_become_one_twice() -> None:
    hits = sorted([*HITS, hit(1.0, "hat")], key=lambda h: (h.time_s, h.voice))
    edit = move(hits, [Seen(1.0, "tom-1"), Seen(1.0, "hat")], "snare")
    assert len(edit.added) == 1


def test_a_voice_given_away_doubles_no_stroke() -> None:
    hits = [*HITS, hit(1.0, "snare"), hit(1.5004, "snare")]
    hits.sort(key=lambda h: (h.time_s, h.voice))
    after = applied(hits, give_voice(hits, "tom-1", "snare"))
    assert [h.time_s for h in after if h.voice == "snare"] == [1.0, 1.5004]
