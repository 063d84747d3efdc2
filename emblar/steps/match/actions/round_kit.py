"""Round the kit: every drum hit in turn and compared with the others, kept with its work."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.head import tension_from_lug_pitch
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.errors import EmblarError, InputError
from emblar.core.matching.round import (
    MOST_STRIKES,
    Loudness,
    Standing,
    beside_the_record,
    read_round,
    standings,
)
from emblar.core.planning.kit import model, wearing
from emblar.formats.bench import BenchFile
from emblar.formats.stored import lenient
from emblar.platform.sound.clips import clip_samples
from emblar.platform.studio import Studio
from emblar.steps.bench import queries as store
from emblar.steps.bench.actions.tuning import bench, change_work
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.recordings import AnalysedRecord, analysed_record

TWO_DRUMS = "The kit needs two drums to compare."


@dataclass(frozen=True, slots=True)
class RoundDrum:
    """A drum of the kit: how it stands now and stood before, and against the record's balance."""

    drum: KitDrum
    standing: Standing | None
    before: Standing | None
    over_record_db: float | None
    tension_n_m: float | None
    """The batter's, read at the bench or planned."""


def round_kit(studio: Studio, session_id: int) -> tuple[RoundDrum, ...]:
    """Return the drums of a kit in their order, with what the last round told of them."""
    drums = kit(studio, session_id)
    with studio.work() as db:
        files = {
            d.id: lenient(BenchFile, store.get(db, session_id, d.drum_id), "The work so far")
            for d in drums
        }
    tensions = {_key(d): t for d in drums for t in [_tension(studio, session_id, d)] if t}
    toms = [_key(d) for d in drums if d.owned.kind == "tom"]
    current = {_key(d): f for d in drums for f in [files[d.id].level] if f}
    before = {_key(d): f for d in drums for f in [files[d.id].level_before] if f}
    stands = {row.name: row for row in standings(current, toms, tensions)}
    stood = {row.name: row for row in standings(before, toms)}
    over = beside_the_record(current, _record_db(analysed_record(studio, session_id), drums))
    return tuple(
        RoundDrum(
            d, stands.get(_key(d)), stood.get(_key(d)), over.get(_key(d)), tensions.get(_key(d))
        )
        for d in drums
    )


def bring_round(studio: Studio, session_id: int, strikes: int, data: bytes) -> None:
    """Read a round of the kit and keep how loud every drum is.

    Parameters
    ----------
    strikes
        How often each drum was struck, in the kit's order.

    Raises
    ------
    BadAudioError
        There are not as many strokes as that; nothing was kept.
    InputError
        There are fewer than two drums, or nobody strikes that often.
    """
    drums = kit(studio, session_id)
    if len(drums) < 2:
        raise InputError(TWO_DRUMS)
    if not 1 <= strikes <= MOST_STRIKES:
        raise InputError(f"Strike each drum 1 to {MOST_STRIKES} times.")
    samples = clip_samples(data)
    result = read_round(samples, ANALYSIS_RATE_HZ, [_key(d) for d in drums], strikes)
    for drum in drums:
        loudness = result[_key(drum)]

        def keep(file: BenchFile, loudness: Loudness = loudness) -> None:
            file.level_before = file.level
            file.level = loudness

        change_work(studio, session_id, drum.id, keep)


def _key(drum: KitDrum) -> str:
    return str(drum.id)


def _tension(studio: Studio, session_id: int, drum: KitDrum) -> float | None:
    """Return a drum's batter tension as read at the bench, else as planned, N/m; None unplanned."""
    try:
        current = bench(studio, session_id, drum.id)
        head = current.heads["batter"]
        made = model(
            studio.catalogue(),
            wearing(drum.owned, current.plan.reso, current.plan.port_in),
            batter=head.made,
        )
        hz = head.hz or head.goal_hz
        return tension_from_lug_pitch(made, "batter", hz, prior_coefficients())
    except EmblarError:
        return None


def _record_db(record: AnalysedRecord | None, drums: Sequence[KitDrum]) -> Mapping[str, float]:
    levels: dict[str, float] = {}
    if record is not None:
        for drum in drums:
            card = record.voice(drum.voice) if drum.voice else None
            if card is not None and card.level_db is not None:
                levels[_key(drum)] = card.level_db
    return levels
