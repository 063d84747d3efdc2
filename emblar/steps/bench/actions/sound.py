"""Bench by ear of the microphone: taps and strokes read of a clip, and how the goal sounds."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.head import tension_from_lug_pitch
from emblar.core.analysis.pipeline import Analysis, analyse
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Audio, one_channel
from emblar.core.catalogue import Catalogue
from emblar.core.errors import BadAudioError, InputError
from emblar.core.notes import cents, spread_hz
from emblar.core.planning.kit import model, wearing
from emblar.core.quantities import Measured
from emblar.core.quantities.card import Card
from emblar.core.synthesis.practice import PracticeDrum
from emblar.core.tuning.diagnosis import Expected, diagnose
from emblar.core.tuning.tap import Tap, TappedHead, read_separate_taps, read_taps, tapped_head
from emblar.core.tuning.wires import WiresHeard, read_wires
from emblar.formats.setup import SetupFile
from emblar.formats.stored import lenient
from emblar.platform.sound.clips import clip_samples, read_clip_sound
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import Studio
from emblar.steps.bench.actions.state import Bench, HeadWork
from emblar.steps.bench.actions.tuning import bench, keep_readings, keep_stroke

LEAST_SD_CENTS = 4.0
FARTHEST_CENTS = 250.0
SURE_SEMITONES = 4.0
UNSURE_SEMITONES = 14.0
GOAL_S = 1.6
GOAL_PEAK = 0.6


@dataclass(frozen=True, slots=True)
class Read:
    """What was read: each tap with the rod it was taken for, from 0, and how many were kept."""

    taps: tuple[tuple[Tap, int], ...]
    kept: int


def read_clip(
    studio: Studio,
    session_id: int,
    slot_id: int,
    side: Side,
    data: bytes,
) -> Read:
    """Read the taps in a clip, rod by rod from the first unread one, and keep the pitches.

    Parameters
    ----------
    side
        The head tapped, the other silenced.
    data
        The clip as a sound file.

    Raises
    ------
    InputError
        There are more taps than rods, so it cannot be told which is whose; nothing was kept.
    BadAudioError
        No tap can be found.
    """
    current, head = _head_at(studio, session_id, slot_id, side)
    taps = _taps(data, _tapped_head(studio.catalogue(), current, side))
    rods = list(head.unread) or list(range(current.drum.owned.rods))
    if len(taps) > len(rods):
        raise InputError(
            f"{len(taps)} taps were heard, but {len(rods)} rods are to be read. Tap once next to "
            "each rod, in order, and use the new recording. Nothing was kept."
        )
    rows = tuple(zip(taps, rods, strict=False))
    known = _readings(rows)
    if known:
        keep_readings(studio, session_id, slot_id, side, known, how="clip")
    return Read(rows, len(known))


def read_live(
    studio: Studio, session_id: int, slot_id: int, side: Side, taps: Sequence[tuple[int, bytes]]
) -> Read:
    """Read the newest tap together with the ones before it, and keep the pitches.

    A tap that could not be read alone gets its pitch once later taps on the same head explain it.

    Parameters
    ----------
    side
        The head tapped, the other silenced.
    taps
        Rod number from 0 and a sound file of one tap, newest last, all since the head was last
        turned.

    Raises
    ------
    InputError
        There is no such head, or no tap.
    BadAudioError
        A sound file cannot be read.
    """
    if not taps:
        raise InputError("There is no tap in this.", field="file")
    current, head = _head_at(studio, session_id, slot_id, side)
    clips = [clip_samples(data) for _, data in taps]
    read = read_separate_taps(
        clips, ANALYSIS_RATE_HZ, _tapped_head(studio.catalogue(), current, side)
    )
    rows = tuple(zip(read, [rod for rod, _ in taps], strict=True))
    newest = len(rows) - 1
    fresh = [row for i, row in enumerate(rows) if i == newest or row[1] in head.unread]
    known = _readings(fresh)
    if known:
        keep_readings(studio, session_id, slot_id, side, known, how="microphone")
    return Read(rows, len(known))


def _head_at(studio: Studio, session_id: int, slot_id: int, side: Side) -> tuple[Bench, HeadWork]:
    current = bench(studio, session_id, slot_id)
    head = current.heads.get(side)
    if head is None:
        raise InputError("There is no such head on this drum.", field="side")
    return current, head


def _readings(rows: Sequence[tuple[Tap, int]]) -> list[tuple[int, float, float]]:
    """Return rod, Hz and uncertainty in cents of what was read."""
    return [
        (rod, tap.hz, _cents(tap.hz, tap.sd_hz))
        for tap, rod in rows
        if tap.hz is not None and tap.sd_hz is not None
    ]


def _taps(data: bytes, head: TappedHead) -> tuple[Tap, ...]:
    """Return the taps of a clip, at least one."""
    taps = read_taps(clip_samples(data), ANALYSIS_RATE_HZ, head)
    if not taps:
        raise BadAudioError("No tap can be heard in this clip. Tap closer to the microphone.")
    return taps


def _cents(hz: float, sd_hz: float) -> float:
    return 1200.0 * math.log2((hz + sd_hz) / hz)


def _tapped_head(catalogue: Catalogue, present: Bench, side: Side) -> TappedHead:
    head, drum = present.heads[side], _drum(catalogue, present)
    state = head.state
    if state is None or not state.read or head.hz is None:
        return tapped_head(drum, side)
    within = UNSURE_SEMITONES if float(state.cents_sd().max()) > 100.0 else SURE_SEMITONES
    # A round number: what is listened for is worked out once for each.
    about = float(np.round(head.hz, -1)) if head.hz > 60.0 else round(head.hz)
    return tapped_head(drum, side, max(about, 15.0), within)


def _drum(catalogue: Catalogue, present: Bench) -> Drum:
    reso = present.heads["reso"].made if "reso" in present.heads else None
    return model(
        catalogue,
        wearing(present.drum.owned, reso, present.plan.port_in),
        batter=present.heads["batter"].made,
    )


def read_stroke(studio: Studio, session_id: int, slot_id: int, data: bytes) -> float:
    """Read the drum pitch of a stroke, both heads ringing, keep it, and return it in Hz.

    Raises
    ------
    BadAudioError
        The pitch of the stroke cannot be told; nothing was kept.
    """
    current = bench(studio, session_id, slot_id)
    audio = read_clip_sound(data)
    result, card, pitch = struck(current, audio)
    expected = _expected(studio.catalogue(), current)
    readings = [pitch.value, *(a.frequency_hz for a in card.alternatives)]
    hz = _likeliest(readings, expected.pitch_hz)
    sd_hz = spread_hz(hz, max(card.pitch_sd_cents or 0.0, LEAST_SD_CENTS))
    at_s, kind = result.hits[0].time_s, current.drum.owned.kind
    causes = diagnose(one_channel(audio), at_s, card, kind, expected)
    keep_stroke(studio, session_id, slot_id, hz, sd_hz, causes)
    return hz


def struck(present: Bench, audio: Audio) -> tuple[Analysis, Card, Measured]:
    """Return what a stroke on the drum at the bench measures: all, its card, its pitch.

    Raises
    ------
    BadAudioError
        Its pitch cannot be told.
    """
    voice = {"tom": "tom-1"}.get(present.drum.owned.kind, present.drum.owned.kind)
    result = analyse(audio, kind="hit", voice=voice)
    card = next((v for v in result.voices if v.voice == voice), None)
    pitch = card["pitch"] if card is not None else None
    if card is None or not isinstance(pitch, Measured):
        raise BadAudioError(
            "The pitch of this stroke cannot be told. Strike once in the middle, firmly, and let "
            "it ring out; nothing else should sound."
        )
    return result, card, pitch


def expected_sustain_s(catalogue: Catalogue, present: Bench) -> float | None:
    """Return the sustain that the model gives for the drum as tapped with what lies on it, s.

    Dampers are taken as shipped: what they are worth here is learned against it.
    """
    return _expected(catalogue.without_learned(), present).sustain_s


def _expected(catalogue: Catalogue, present: Bench) -> Expected:
    """Return what the model gives for the heads as they are."""
    lugs = {side: head.hz for side, head in present.heads.items()}
    uneven: dict[Side, tuple[float, float]] = {}
    for side, head in present.heads.items():
        if head.state is not None and head.state.read and head.hz is not None:
            uneven[side] = head.hz, float(np.ptp(head.state.cents()))
    batter, reso = lugs["batter"], lugs.get("reso")
    if batter is None or ("reso" in lugs and reso is None):
        return Expected(uneven=uneven)
    setup = lenient(SetupFile, present.setup.document, "This setup")
    made = present.heads["reso"].made if "reso" in present.heads else None
    drum = model(
        catalogue,
        wearing(present.drum.owned, made, present.plan.port_in),
        batter=present.heads["batter"].made,
        dampers=tuple(setup.dampers),
    )
    result = predict(drum, batter, reso)
    slack = next((limit.side for limit in result.limits if limit.code in ("papery", "slack")), None)
    planned, card = present.heads.get("reso"), present.plan.card.get("sustain")
    return Expected(
        result.drum_pitch.value,
        result.sustain.value,
        slack,
        uneven,
        planned_s=card.value if card is not None else None,
        tighter=cents(reso, planned.planned_hz) / 100.0 if reso and planned else None,
    )


def _likeliest(readings: list[float], expected_hz: float | None) -> float:
    """Return the reading that the drum's lug pitches allow.

    Raises
    ------
    BadAudioError
        None of them does.
    """
    if expected_hz is None:
        return readings[0]
    nearest = min(readings, key=lambda hz: abs(math.log(hz / expected_hz)))
    off = abs(cents(nearest, expected_hz))
    if off > FARTHEST_CENTS:
        raise BadAudioError(
            f"{readings[0]:.0f} Hz is what rings loudest, but heads tapped at these pitches give "
            f"about {expected_hz:.0f} Hz. Another drum may have rung along, or a head has moved: "
            "tap it again, or strike again with the others silenced. Nothing was kept."
        )
    return nearest


def hear_wires(
    studio: Studio, session_id: int, slot_id: int, data: bytes
) -> tuple[WiresHeard, str]:
    """Return what a soft tap tells of a snare's wires, and the setting that is planned.

    Raises
    ------
    InputError
        The drum is no snare.
    BadAudioError
        There is no tap in it.
    """
    current = bench(studio, session_id, slot_id)
    if current.drum.owned.kind != "snare":
        raise InputError("Only a snare has wires.")
    return read_wires(studio.catalogue(), clip_samples(data), ANALYSIS_RATE_HZ), current.plan.wires


def goal_sound(studio: Studio, session_id: int, slot_id: int, side: Side) -> bytes:
    """Return how a tap sounds on a head that is at its goal and even, as WAV."""
    current = bench(studio, session_id, slot_id)
    head = current.heads.get(side)
    if head is None:
        raise InputError("There is no such head on this drum.", field="side")
    drum = _drum(studio.catalogue(), current)
    tension = tension_from_lug_pitch(drum, side, head.goal_hz, prior_coefficients())
    even = PracticeDrum(drum, {side: np.full(drum.rods, tension)}, {side: 1.0})
    samples = even.tap(side, 0, rate=ANALYSIS_RATE_HZ, seconds=GOAL_S)
    peak = max(float(np.abs(samples).max()), 1e-9)
    return wav_bytes(samples * GOAL_PEAK / peak, ANALYSIS_RATE_HZ)
