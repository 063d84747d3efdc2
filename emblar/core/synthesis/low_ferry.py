"""“Low Ferry”, the demo reference: The Tin Orchard at Quillfeather Rooms, all made up.

Conventions
-----------
4/4 at 108 beats a minute, 20 bars: a groove with a fill at the end of every fourth bar and a sparse
passage in which toms are heard alone. Everything is rendered from ``DRUMS`` by the drum model.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from emblar.core.acoustics.drum import METRES_PER_INCH, Drum
from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.inverse import lug_pitches_for
from emblar.core.catalogue import SHIPPED
from emblar.core.synthesis.song import Event, Performance, Placement, SongRoom, render_performance
from emblar.core.synthesis.stroke import Voice, cymbal_voice, drum_voice

TEMPO_BPM = 108.0
BEAT_S = 60.0 / TEMPO_BPM
BAR_S = 4.0 * BEAT_S
BARS = 20
LEAD_IN_S = 0.35
SEED = 20


@dataclass(frozen=True, slots=True)
class RecordedDrum:
    """A drum as it stood when Low Ferry was recorded."""

    voice: str
    kind: str
    diameter_in: float
    depth_in: float
    rods: int
    batter: str
    reso: str
    dampers: tuple[str, ...]
    pitch_hz: float
    relation_semitones: float

    def drum(self) -> Drum:
        """Return the drum for the model."""
        return Drum(
            kind=self.kind,  # type: ignore[arg-type]
            diameter_m=self.diameter_in * METRES_PER_INCH,
            depth_m=self.depth_in * METRES_PER_INCH,
            rods=self.rods,
            batter=SHIPPED.construction(self.batter).film(),
            reso=SHIPPED.construction(self.reso).film(),
            dampers=tuple(p for d in self.dampers for p in SHIPPED.damper(d).placed()),
        )


DRUMS = (
    RecordedDrum(
        "kick",
        "kick",
        22,
        14,
        10,
        "kick-ring-clear",
        "front-opaque",
        ("pillow-batter",),
        57.0,
        3.0,
    ),
    RecordedDrum(
        "snare",
        "snare",
        14,
        6.5,
        10,
        "single-coated",
        "snare-side",
        ("gel-pad",),
        176.0,
        5.0,
    ),
    RecordedDrum(
        "tom-1",
        "tom",
        12,
        8,
        6,
        "double-coated",
        "single-clear",
        ("tape-flag",),
        131.0,
        2.0,
    ),
    RecordedDrum(
        "tom-2",
        "tom",
        13,
        9,
        6,
        "double-coated",
        "single-clear",
        ("tape-flag",),
        104.0,
        2.0,
    ),
    RecordedDrum(
        "tom-3",
        "tom",
        16,
        16,
        8,
        "double-coated",
        "single-clear",
        ("gel-pad",),
        76.0,
        1.0,
    ),
)

PLACEMENTS = {
    "kick": Placement(1.15, 0.0),
    "snare": Placement(0.85, -0.1),
    "tom-1": Placement(0.95, -0.4),
    "tom-2": Placement(0.95, 0.1),
    "tom-3": Placement(1.05, 0.5),
    "hat": Placement(0.32, -0.5),
    "cymbal": Placement(0.30, 0.4),
}

# One character is a sixteenth: X hard, x medium, o soft, . nothing.
GROOVE = {
    "hat": "x.o.x.o.x.o.x.o.",
    "snare": "....X.......X..o",
    "kick": "X.....x.x.......",
}
FILL = {
    "hat": "x.o.x.o.........",
    "snare": "....X...x.......",
    "kick": "X.....x.........",
    "tom-1": ".........xX.....",
    "tom-2": "...........xX...",
    "tom-3": ".............xX.",
}
LAST_FILL = {
    "snare": "X...............",
    "kick": "X.......x.......",
    "tom-1": "..x.x...........",
    "tom-2": "......x.x.......",
    "tom-3": "..........x.x.x.",
}
SPARSE = (
    {"tom-1": "x.......o.......", "kick": "............x..."},
    {"tom-2": "x.......o.......", "kick": "............x..."},
    {"tom-3": "x.......o.......", "snare": "............x..."},
    {"tom-1": "x...............", "tom-2": "......X.........", "tom-3": "............X..."},
)
FORCE = {"X": 1.35, "x": 1.0, "o": 0.55}


def low_ferry_events() -> list[Event]:
    """Return every stroke of the song, in time, with a drummer's small scatter."""
    rng = np.random.default_rng(SEED)
    events = []
    for bar in range(BARS):
        for voice, pattern in _bar(bar).items():
            for step, mark in enumerate(pattern):
                if mark == ".":
                    continue
                time = LEAD_IN_S + bar * BAR_S + step * BEAT_S / 4.0
                time += float(np.clip(rng.normal(0.0, 0.003), -0.008, 0.008))
                force = FORCE[mark] * float(rng.uniform(0.9, 1.1))
                events.append(Event(round(time, 5), voice, force))
        if bar % 4 == 0 and not 8 <= bar < 12:
            events.append(Event(round(LEAD_IN_S + bar * BAR_S, 5), "cymbal", 1.0))
    return sorted(events, key=lambda e: (e.time_s, e.voice))


def _bar(bar: int) -> dict[str, str]:
    if 8 <= bar < 12:
        return SPARSE[bar - 8]
    if bar == BARS - 1:
        return LAST_FILL
    return FILL if bar % 4 == 3 else GROOVE


def low_ferry_voices(drums: Sequence[RecordedDrum] = DRUMS) -> dict[str, Voice]:
    """Return the voices of the song by name, on its own drums or on others."""
    voices = {}
    for row in drums:
        drum = row.drum()
        lugs = lug_pitches_for(drum, row.pitch_hz, row.relation_semitones)
        voices[row.voice] = drum_voice(predict(drum, lugs.batter_hz, lugs.reso_hz), row.kind)
    rng = np.random.default_rng(SEED + 1)
    voices["hat"] = cymbal_voice(low_hz=5200.0, t60_s=0.11, level=0.5, partials=30, rng=rng)
    voices["cymbal"] = cymbal_voice(low_hz=500.0, t60_s=2.2, level=0.5, partials=80, rng=rng)
    return voices


def render_low_ferry(sample_rate_hz: int = 44100) -> Performance:
    """Render the demo reference: about 47 s, stereo, deterministic."""
    return render_performance(
        low_ferry_voices(),
        low_ferry_events(),
        PLACEMENTS,
        sample_rate_hz=sample_rate_hz,
        room=SongRoom(share=0.006, t60_s=0.5),
        seed=SEED,
    )


def render_paper_lanterns(sample_rate_hz: int = 44100) -> Performance:
    """Render the demo's second song: the first 16 bars on lower, drier drums."""
    lower = [
        replace(
            drum,
            pitch_hz=drum.pitch_hz * 2.0 ** (-2.0 / 12.0),
            dampers=("gel-pad",) if drum.kind == "tom" else drum.dampers,
        )
        for drum in DRUMS
    ]
    end_s = LEAD_IN_S + 16 * BAR_S
    return render_performance(
        low_ferry_voices(lower),
        [event for event in low_ferry_events() if event.time_s < end_s],
        PLACEMENTS,
        sample_rate_hz=sample_rate_hz,
        room=SongRoom(share=0.004, t60_s=0.4),
        seed=SEED + 2,
    )
