"""Cymbals and pads, pictures and notes of a journey, round the kit: kept, held against, undone."""

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.errors import BadAudioError, InputError, NotFoundError
from emblar.core.matching.fair_pair import loudness_lufs
from emblar.core.synthesis.stroke import cymbal_voice, render_stroke
from emblar.platform.sound.decode import decode
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE, Studio
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.kit.actions.drums import add_drum, kit
from emblar.steps.listen.actions.recordings import run_analysis
from emblar.steps.match.actions import comparison as match
from emblar.steps.match.actions import journey, pads, round_kit
from emblar.steps.match.actions.sound import pair_sounds, song_sounds
from tests.core.matching.test_round import played
from tests.drums import OWNED_TOM
from tests.recordings import RATE
from tests.steps.match.test_comparison import a_take, drum_of, taken


def crash(*, t60_s: float = 0.6, low_hz: float = 5200.0, seed: int = 3) -> bytes:
    rng = np.random.default_rng(seed)
    voice = cymbal_voice(low_hz=low_hz, t60_s=t60_s, level=0.5, partials=40, rng=rng)
    parts = [
        render_stroke(voice, sample_rate_hz=RATE, force=1.0, rng=rng, length_s=2.0)
        for _ in range(3)
    ]
    sound = np.concatenate([np.pad(p, (RATE // 4, 2 * RATE - len(p))) for p in parts])
    return wav_bytes(0.5 * sound / np.abs(sound).max(), RATE)


def pad_taken(session: int, pad_id: int, data: bytes) -> int:
    info = pads.bring_pad_take(HERE, session, pad_id, "crash.wav", data)
    run_analysis(info.id)
    return info.id


def test_a_pads_take_is_held_against_its_part(planned: int) -> None:
    pad = pads.add_pad(HERE, planned, " Dark hats ", "two of 14 in", "hat")
    assert pad.name == "Dark hats"
    pad_taken(planned, pad.id, crash(low_hz=900.0))
    found = pads.one_pad(pads.pads(HERE, planned), pad.id)
    assert found.newest is not None
    assert found.newest.comparison is not None
    assert found.newest.comparison.differences["click"].steps < -1.0
    assert "pitch" not in found.newest.comparison.differences
    record, take = pads.pad_sounds(HERE, planned, pad.id)
    levels = [
        loudness_lufs(decode(data).audio.samples[:, 0].astype(np.float64), ANALYSIS_RATE_HZ)
        for data in (record, take)
    ]
    assert levels[0] == pytest.approx(levels[1], abs=0.5)


def test_a_take_of_a_pad_is_none_of_the_record_and_none_of_a_drum(planned: int) -> None:
    pad = pads.add_pad(HERE, planned, "Stack", "", "hat")
    drum = drum_of(planned, "tom")
    before = match.match(HERE, planned, drum.id).analysed.recording.id
    pad_taken(planned, pad.id, crash())
    after = match.match(HERE, planned, drum.id)
    assert after.analysed.recording.id == before
    assert after.takes == ()


def test_a_pad_is_removed_with_its_takes_and_brought_back(planned: int) -> None:
    pad = pads.add_pad(HERE, planned, "Stack", "", "hat")
    pad_taken(planned, pad.id, crash())
    pads.take_pad_away(HERE, planned, pad.id)
    assert pads.pads(HERE, planned).rows == ()
    pads.bring_pad_back(HERE, planned, pad.id)
    assert len(pads.one_pad(pads.pads(HERE, planned), pad.id).takes) == 1
    with pytest.raises(NotFoundError):
        pads.bring_pad_back(HERE, planned, pad.id)
    with pytest.raises(NotFoundError):
        pads.take_pad_away(Studio(2), planned, pad.id)


def test_wrong_entries_are_told_at_their_field(planned: int) -> None:
    for name, made_of, part, field in (
        (" ", "", "", "name"),
        ("x" * 81, "", "", "name"),
        ("Stack", "x" * 201, "", "made_of"),
        ("Stack", "", "gong", "part"),
    ):
        with pytest.raises(InputError) as told:
            pads.add_pad(HERE, planned, name, made_of, part)
        assert told.value.field == field
    pad = pads.add_pad(HERE, planned, "Stack", "", "hat")
    pads.change_pad(HERE, planned, pad.id, "Stack, left", "three cymbals", "")
    assert pads.one_pad(pads.pads(HERE, planned), pad.id).info.part is None
    with pytest.raises(InputError, match="which part"):
        pads.pad_sounds(HERE, planned, pad.id)
    pad_taken(planned, pad.id, crash())
    with pytest.raises(InputError, match="another kind of sound"):
        pads.change_pad(HERE, planned, pad.id, "Stack", "", "snare")
    with pytest.raises(BadAudioError):
        pads.bring_pad_take(HERE, planned, pad.id, "x.wav", b"no sound")


def photo(kind: str = "JPEG", size: tuple[int, int] = (3000, 2000)) -> bytes:
    out = io.BytesIO()
    exif = Image.Exif()
    exif[0x010F] = "a camera"
    Image.new("RGB", size, (120, 60, 20)).save(out, kind, exif=exif)
    return out.getvalue()


def test_a_picture_and_a_note_belong_to_a_setup(planned: int) -> None:
    drum = drum_of(planned, "tom")
    taken(planned, drum, a_take(planned, drum))
    setup = bench.bench(HERE, planned, drum.id).setup.id
    journey.keep_picture(HERE, planned, drum.id, setup, photo())
    journey.keep_note(HERE, planned, drum.id, setup, "  warm  ")
    take = match.match(HERE, planned, drum.id).takes[0]
    assert (take.picture, take.note) == (True, "warm")
    kept = Image.open(io.BytesIO(journey.picture(HERE, planned, drum.id, setup)))
    assert max(kept.size) == 1280
    assert not kept.getexif()
    journey.take_picture_away(HERE, planned, drum.id, setup)
    with pytest.raises(NotFoundError, match="no picture"):
        journey.picture(HERE, planned, drum.id, setup)
    other = drum_of(planned, "snare")
    with pytest.raises(NotFoundError, match="That setup"):
        journey.keep_note(HERE, planned, other.id, setup, "mine")


@pytest.mark.parametrize("data", [b"", b"GIF89a", photo()[:900], b"\x89PNG\r\n\x1a\n" + b"\0" * 64])
def test_what_is_no_picture_is_refused(planned: int, data: bytes) -> None:
    drum = drum_of(planned, "tom")
    taken(planned, drum, a_take(planned, drum))
    setup = bench.bench(HERE, planned, drum.id).setup.id
    with pytest.raises(InputError, match="picture cannot be read") as told:
        journey.keep_picture(HERE, planned, drum.id, setup, data)
    assert told.value.field == "picture"


def test_a_picture_that_unpacks_to_gigabytes_is_refused(planned: int) -> None:
    drum = drum_of(planned, "tom")
    taken(planned, drum, a_take(planned, drum))
    setup = bench.bench(HERE, planned, drum.id).setup.id
    out = io.BytesIO()
    Image.new("1", (20_000, 20_000)).save(out, "PNG")
    with pytest.raises(InputError, match="too large"):
        journey.keep_picture(HERE, planned, drum.id, setup, out.getvalue())


def test_any_two_takes_are_heard_equally_loud(planned: int) -> None:
    drum = drum_of(planned, "snare")
    first = taken(planned, drum, a_take(planned, drum))
    second = taken(planned, drum, a_take(planned, drum, off_cents=80.0, seed=3))
    sounds = [
        decode(data).audio.samples[:, 0].astype(np.float64)
        for data in pair_sounds(HERE, planned, drum.id, second, against=first)
    ]
    levels = [loudness_lufs(sound, ANALYSIS_RATE_HZ) for sound in sounds]
    assert levels[0] == pytest.approx(levels[1], abs=0.5)
    song = song_sounds(HERE, planned, drum.id, second, against=first)
    usual = song_sounds(HERE, planned, drum.id, second)
    assert song[1] == usual[1]
    assert song[0] not in usual
    with pytest.raises(NotFoundError):
        pair_sounds(HERE, planned, drum.id, second, against=99_999)


def test_a_round_of_the_kit_is_kept_with_the_one_before(planned: int) -> None:
    add_drum(HERE, planned, replace(OWNED_TOM, name="Floor 16", diameter_in=16.0, depth_in=14.0))
    count = len(kit(HERE, planned))

    def bring(*gains: float) -> None:
        sound = played(list(gains), seed=2)
        round_kit.bring_round(HERE, planned, 3, wav_bytes(sound, ANALYSIS_RATE_HZ))

    bring(*[0.0] * count)
    assert all(row.before is None for row in round_kit.round_kit(HERE, planned))
    kinds = [d.owned.kind for d in kit(HERE, planned)]
    bring(*[-9.0 if k == "tom" and i == kinds.index("tom") else 0.0 for i, k in enumerate(kinds)])
    rows = round_kit.round_kit(HERE, planned)
    told = [row.standing for row in rows if row.standing is not None and row.standing.is_audible]
    assert len(told) == 1
    assert told[0].level_db < -5.0
    assert all(row.before is not None for row in rows)
    assert any(row.tension_n_m for row in rows)
    with pytest.raises(BadAudioError, match="were heard"):
        bring(*[0.0] * (count - 1))
    with pytest.raises(InputError, match="1 to 8 times"):
        round_kit.bring_round(HERE, planned, 0, b"")
