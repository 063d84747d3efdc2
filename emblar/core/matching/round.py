"""Round the kit: is it even in level and in feel from drum to drum (``round.toml``).

Conventions
-----------
Every drum is struck in turn, equally hard, into one microphone that hears all. Level is loudness
after ITU-R BS.1770 over the first part of a stroke, in dB against the middle (the median) of the
drums it is compared with: toms with toms, else the kit. Of two toms either may be the one that is
off: the quieter, or softer, is told. Feel is the batter's tension, N/m.
"""

import math
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Annotated

import numpy as np
from annotated_types import Interval
from numpy.typing import NDArray

from emblar.core.errors import BadAudioError
from emblar.core.matching.fair_pair import loudness_lufs
from emblar.core.tuning.tap import find_taps

Samples = NDArray[np.float64]
MOST_STRIKES = 8


@dataclass(frozen=True, slots=True)
class Loudness:
    """How loud a drum's strokes are, LUFS: mean, its standard deviation, how many."""

    lufs: Annotated[float, Interval(ge=-200, le=40)]
    sd_db: Annotated[float, Interval(ge=0, le=100)]
    strokes: Annotated[int, Interval(ge=1, le=100)]


@dataclass(frozen=True, slots=True)
class Standing:
    """A drum next to the others.

    Parameters
    ----------
    name
        The drum's.
    level_db, sd_db
        Its level against the middle of those it is compared with.
    told
        Whether that is heard, as far as can be told.
    feel_share
        Its batter's tension over the middle of theirs, less one; None if it is not known.
    feel_told
        Whether that is felt.
    """

    name: str
    level_db: float
    sd_db: float
    is_audible: bool
    feel_share: float | None = None
    feel_told: bool = False


@lru_cache(maxsize=1)
def _numbers() -> dict[str, float]:
    text = (resources.files(__package__) / "round.toml").read_text(encoding="utf-8")
    return {name: float(row["value"]) for name, row in tomllib.loads(text).items()}


def level_step_db() -> float:
    """Return by how much two drums' levels differ before it is heard, dB."""
    return _numbers()["level_step"]


def read_round(
    samples: Samples, rate_hz: int, drums: Sequence[str], strikes: int
) -> dict[str, Loudness]:
    """Return how loud every drum is, by its name.

    Parameters
    ----------
    samples, rate_hz
        The recording, mono: the drums in order, each struck ``strikes`` times with a pause.
    drums, strikes
        Their names in that order, and how often each was struck.

    Raises
    ------
    BadAudioError
        There are not as many strokes as that, or nothing can be heard.
    """
    if not len(samples) or not np.any(samples):
        raise BadAudioError("There is no sound in this. Check the microphone and play it again.")
    onsets, wanted = find_taps(samples, rate_hz), len(drums) * strikes
    if len(onsets) != wanted:
        raise BadAudioError(
            f"{wanted} strokes are needed, {strikes} on each of {len(drums)} drums; "
            f"{len(onsets)} were heard. Play them again, evenly, and let each ring."
        )
    stops = [*onsets[1:], len(samples) / rate_hz]
    window = _numbers()["window"]
    levels = [
        loudness_lufs(
            samples[round(onset_s * rate_hz) : round(min(onset_s + window, stop) * rate_hz)],
            rate_hz,
        )
        for onset_s, stop in zip(onsets, stops, strict=True)
    ]
    result = {}
    for index, name in enumerate(drums):
        loudness = levels[index * strikes : (index + 1) * strikes]
        spread = float(np.std(loudness, ddof=1)) if strikes > 1 else _numbers()["hand_sd"]
        sd = math.hypot(spread / math.sqrt(strikes), _numbers()["hand_sd"])
        result[name] = Loudness(float(np.mean(loudness)), sd, strikes)
    return result


def standings(
    played: Mapping[str, Loudness],
    toms: Sequence[str],
    feel: Mapping[str, float] | None = None,
) -> tuple[Standing, ...]:
    """Return how every drum compares with the others, in the order they were played.

    Parameters
    ----------
    played
        How loud each is.
    toms
        Names of those that are compared with one another, if there are two or more.
    feel
        The batter's tension of each that is known, N/m.
    """
    group = [name for name in toms if name in played]
    result = []
    for name, loudness in played.items():
        among = group if len(group) > 1 and name in group else list(played)
        middle, middle_sd = _middle(name, among, played)
        level, sd = loudness.lufs - middle, math.hypot(loudness.sd_db, middle_sd)
        stands = len(group) > 1 and name in group
        share = _feel(name, group, feel or {}) if stands else None
        both_ways = len(group) > 2
        values = abs(level) > max(level_step_db(), sd) and (both_ways or level < 0.0)
        felt = share is not None and abs(share) > _numbers()["feel_share"]
        result.append(
            Standing(
                name,
                level,
                sd,
                stands and values,
                share,
                share is not None and felt and (both_ways or share < 0.0),
            )
        )
    return tuple(result)


def _middle(name: str, among: Sequence[str], played: Mapping[str, Loudness]) -> tuple[float, float]:
    """Return the level that a drum is held against, LUFS, and how sure it is, dB."""
    names = [n for n in among if n != name] if len(among) < 3 else among
    if not names:
        return played[name].lufs, 0.0
    sds = [played[n].sd_db for n in names]
    return float(np.median([played[n].lufs for n in names])), math.hypot(*sds) / len(sds)


def _feel(name: str, group: Sequence[str], feel: Mapping[str, float]) -> float | None:
    """Return a batter's tension over the middle of the toms', less one."""
    known = [n for n in group if n in feel]
    if name not in known or len(known) < 2:
        return None
    others = [n for n in known if n != name] if len(known) < 3 else known
    return feel[name] / float(np.median([feel[n] for n in others])) - 1.0


def beside_the_record(
    played: Mapping[str, Loudness], record_db: Mapping[str, float]
) -> dict[str, float]:
    """Return by how many dB every drum stands out further than it does on the record.

    Both are taken against their own mean over the drums that the record tells of; a record's
    balance is that of the desk, too. Nothing is told of a single drum.
    """
    both = [name for name in played if name in record_db]
    if len(both) < 2:
        return {}
    ours = float(np.mean([played[n].lufs for n in both]))
    theirs = float(np.mean([record_db[n] for n in both]))
    return {n: (played[n].lufs - ours) - (record_db[n] - theirs) for n in both}
