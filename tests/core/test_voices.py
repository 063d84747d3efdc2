import pytest

from emblar.core.errors import InputError
from emblar.core.voices import VoiceName, checked_voice, is_tom, voice_order


def test_a_tom_says_its_kind_and_its_number() -> None:
    low = VoiceName.tom(3)
    assert (low, low.kind, low.number, low.is_tuned) == ("tom-3", "tom", 3, True)
    assert is_tom("tom-1")
    assert not is_tom("snare")


@pytest.mark.parametrize("voice", ["hat", "cymbal"])
def test_what_is_struck_and_not_tuned_has_no_number(voice: str) -> None:
    assert VoiceName(voice).number is None
    assert not VoiceName(voice).is_tuned


def test_voices_are_read_from_kick_to_cymbal() -> None:
    voices = ["cymbal", "tom-2", "hat", "tom-1", "kick", "snare"]
    assert sorted(voices, key=voice_order) == ["kick", "snare", "tom-1", "tom-2", "hat", "cymbal"]


@pytest.mark.parametrize("voice", ["", "tom", "tom-0", "tom-10", "tom-x", "Kick", "tambourine"])
def test_what_is_no_voice_is_told_with_what_there_is(voice: str) -> None:
    with pytest.raises(InputError, match="tom-1, tom-2"):
        checked_voice(voice)
