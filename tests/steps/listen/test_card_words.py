"""What the card says its numbers stand on."""

from types import SimpleNamespace
from typing import Any

import numpy as np

from emblar.core.analysis.card.measure import measure_voice
from emblar.core.analysis.signal.low_band import DECIMATION, StrokeSpan
from emblar.formats.analysis import TrackFile, voice_file
from emblar.steps.listen.page.card import how_sure
from tests.core.analysis.test_joint_clustering import GAP_S, song

TOGETHER = "Pitch from all 6 strokes together: none could be followed by itself"


def test_a_pitch_told_by_all_strokes_together_says_so_and_one_told_by_a_person_does_not() -> None:
    low, times = song([150.0, 106.0, 75.0] * 6, -6.0)
    every = [StrokeSpan(float(t), GAP_S) for t in times[::3]]
    mono = np.repeat(low, DECIMATION)
    card = measure_voice("tom-1", mono, [low], [], levels_db=[-10.0] * 6, mix=True, every=every)
    found: Any = SimpleNamespace(
        recording=SimpleNamespace(rest_audio_id=1), analysis=SimpleNamespace(decided=None, hits=[])
    )
    said = how_sure(voice_file(card), found)
    assert said[0].startswith(TOGETHER)
    assert any("full mix" in sentence for sentence in said)
    track = TrackFile(time_s=[0.1], frequency_hz=[150.0], level_db=[0.0])
    one = voice_file(card).model_copy(update={"tracks": [track]})
    assert how_sure(one, found)[0].endswith("and from one that could be followed by itself.")
    found.recording.rest_audio_id = None
    assert how_sure(one, found)[0] == "Pitch from one clean stroke."
    by_hand = how_sure(voice_file(card, {"pitch": "said by the player"}), found)
    assert not any(sentence.startswith(TOGETHER) for sentence in by_hand)
