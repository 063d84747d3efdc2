"""Analysis against real sampled kits: ``python -m bench.real [--leave-out 0 4 …] [--only …]``.

Prints F1 per voice, tom counts, pitch and T60 errors for single strokes, drums alone and mixes.
The pitches and decays to compare with are measured on each drum's lone strokes (``material``).
"""

import argparse
import json
import pickle
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path

import mir_eval
import numpy as np

from bench.grooves import coded, groove, in_room, mixed
from bench.material import RATE, Kit, Recording, kits, reference_pitch_hz, reference_t60_s
from bench.rules import RULES, without
from emblar.core.analysis.pipeline import ANALYSIS_VERSION, Analysis, analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.errors import BadAudioError
from emblar.core.quantities import Measured
from emblar.core.voices import VoiceName
from emblar.platform.sound.decode import decode

CONDITIONS = ("hits", "drums", "room", "mp3", "mix+6", "mix+0", "mix-6")
WINDOW_S = 0.03
CLOSE_CENTS = 35.0


@dataclass
class Score:
    """What was found over many recordings."""

    f1: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    counts: list[bool] = field(default_factory=list)
    cents: list[float] = field(default_factory=list)
    t60: list[float] = field(default_factory=list)
    inside: list[bool] = field(default_factory=list)
    named: list[bool] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    def add(self, other: "Score") -> None:
        """Take another score's rows in."""
        for key, values in other.f1.items():
            self.f1[key] += values
        for name in ("counts", "cents", "t60", "inside", "named", "notes"):
            getattr(self, name).extend(getattr(other, name))

    def numbers(self) -> dict[str, list[float]]:
        """Return every score by name, to be kept; what is right counts 1, what is wrong 0."""
        result = {f"F1 {name}": values for name, values in self.f1.items()}
        result |= {"named right": [float(right) for right in self.named]}
        result |= {"tom count right": [float(right) for right in self.counts]}
        result |= {"pitch within 35 ct": [float(abs(ct) <= CLOSE_CENTS) for ct in self.cents]}
        result |= {"truth inside ±2 sd": [float(inside) for inside in self.inside]}
        return {name: [round(v, 4) for v in values] for name, values in result.items() if values}

    def lines(self) -> list[str]:
        """Return what to print."""
        out = []
        if self.named:
            out.append(f"named right {np.mean(self.named):.3f} of {len(self.named)}")
        if self.f1:
            out.append(
                "F1 " + "  ".join(f"{k} {np.mean(v):.3f}" for k, v in sorted(self.f1.items()))
            )
        if self.counts:
            out.append(f"tom count right {np.mean(self.counts):.2f} of {len(self.counts)}")
        if self.cents:
            off = np.abs(self.cents)
            out.append(
                f"pitch median {np.median(off):.1f} ct, p90 {np.percentile(off, 90):.0f} ct,"
                f" wrong mode {np.mean(off > 300):.3f} of {len(off)}"
            )
        if self.t60:
            off = np.abs(np.log(self.t60))
            out.append(f"T60 off by median {100 * (np.exp(np.median(off)) - 1):.0f} %")
        if self.inside:
            out.append(f"truth inside ±2 sd {np.mean(self.inside):.2f}")
        return out


def distinct(times: list[float]) -> np.ndarray:
    """Return times with those within 25 ms of the one before left out."""
    kept: list[float] = []
    for time in sorted(times):
        if not kept or time - kept[-1] > 0.025:
            kept.append(time)
    return np.array(kept)


def f_measure(truth: np.ndarray, matches: np.ndarray) -> float:
    """Return the onset F1; 1 where there is nothing to find and nothing found."""
    if len(truth) == 0 or len(matches) == 0:
        return float(len(truth) == len(matches))
    return float(mir_eval.onset.f_measure(truth, matches, window=WINDOW_S)[0])


def score_recording(recording: Recording, analysis: Analysis | None, label: str) -> Score:
    """Compare an analysis with what was put in."""
    score = Score()
    hits = analysis.hits if analysis else ()
    score.f1["onset"].append(
        f_measure(distinct([t for t, _ in recording.events]), distinct([h.time_s for h in hits]))
    )
    high = ("hat", "cymbal")
    for voice in sorted({v for _, v in recording.events}):
        if voice in high:
            continue
        truth = np.array([t for t, v in recording.events if v == voice])
        result = np.array([h.time_s for h in hits if h.voice == voice])
        name = "tom" if voice.startswith("tom") else voice
        score.f1[name].append(f_measure(truth, result))
    score.f1["high"].append(
        f_measure(
            distinct([t for t, v in recording.events if v in high]),
            distinct([h.time_s for h in hits if h.voice in high]),
        )
    )
    toms = {v for _, v in recording.events if v.startswith("tom")}
    found_toms = {h.voice for h in hits if h.voice.startswith("tom")}
    score.counts.append(len(toms) == len(found_toms))
    worst = "  ".join(f"{k} {np.mean(v):.2f}" for k, v in score.f1.items())
    score.notes.append(f"{label:28s} {worst}  toms {len(toms)}:{len(found_toms)}")
    if analysis is not None:
        _score_cards(recording.kit, analysis, {v for _, v in recording.events}, score)
    return score


def _score_cards(kit: Kit, analysis: Analysis, played: set[str], score: Score) -> None:
    for card in analysis.voices:
        if card.voice not in played or card.voice in ("hat", "cymbal"):
            continue
        kind = VoiceName(card.voice).kind
        layers = kit.drums[card.voice].layers
        stroke = layers[min(int(0.75 * len(layers)), len(layers) - 1)]
        pitch = reference_pitch_hz(stroke, kind)
        if isinstance(card["pitch"], Measured):
            off = 1200 * np.log2(card["pitch"].value / pitch)
            score.cents.append(off)
            score.inside.append(abs(off) <= 2 * (card.pitch_sd_cents or 0.0))
            score.notes.append(
                f"    {card.voice} {pitch:.1f} Hz: {off:+.0f} ct ± {card.pitch_sd_cents:.0f}"
            )
            t60 = reference_t60_s(stroke, pitch)
            if isinstance(card["sustain"], Measured) and np.isfinite(t60) and abs(off) < 300:
                score.t60.append(card["sustain"].value / t60)


def score_hits(kit: Kit) -> Score:
    """Analyse every layer of every drum as a single stroke."""
    score = Score()
    for voice, drum in kit.drums.items():
        kind = VoiceName(voice).kind
        for layer in drum.layers[-3:]:
            samples = np.pad(layer, ((RATE // 20, RATE // 5), (0, 0)))
            try:
                analysis = analyse(Audio(samples, RATE), kind="hit")
            except BadAudioError:
                score.named.append(False)
                continue
            names = {VoiceName(h.voice).kind for h in analysis.hits}
            high = {"hat": "high", "cymbal": "high"}
            right = {high.get(n, n) for n in names} == {high.get(kind, kind)}
            score.named.append(right)
            if not right:
                score.notes.append(f"{kit.source[:14]} {voice} named {sorted(names)}")
            if kind in high:
                continue
            card = next((v for v in analysis.voices if v.voice not in high), None)
            pitch = reference_pitch_hz(layer, kind)
            if card is None or not isinstance(card["pitch"], Measured):
                continue
            off = 1200 * np.log2(card["pitch"].value / pitch)
            score.cents.append(off)
            score.inside.append(abs(off) <= 2 * (card.pitch_sd_cents or 0.0))
            t60 = reference_t60_s(layer, pitch)
            if isinstance(card["sustain"], Measured) and np.isfinite(t60) and abs(off) < 300:
                score.t60.append(card["sustain"].value / t60)
            if abs(off) > 100:
                score.notes.append(
                    f"{kit.source[:14]} {voice} {pitch:.1f} Hz read {card['pitch'].value:.1f}"
                )
    return score


def one(kit: Kit, condition: str, seed: int) -> Score:
    """Make and analyse one recording of a kit."""
    if condition == "hits":
        return score_hits(kit)
    recording = groove(kit, seed)
    samples = recording.samples
    if condition == "room":
        samples = in_room(samples, seed)
    if condition.startswith("mix"):
        recording = mixed(recording, float(condition[3:]), seed)
        samples = recording.samples
    data = Audio(samples, RATE)
    if condition == "mp3":
        data = decode(coded(0.8 * samples / np.abs(samples).max(), "MP3", "MPEG_LAYER_III")).audio
    kind = "mix" if condition.startswith("mix") else "drums"
    try:
        analysis = analyse(data, kind=kind)  # type: ignore[arg-type]
    except BadAudioError:
        analysis = None
    return score_recording(recording, analysis, f"{kit.source[:18]} {condition}")


def cached_kits(cache: Path | None) -> list[Kit]:
    """Return the kits, kept between runs if a file for that is given."""
    if cache is not None and cache.exists():
        return list(pickle.loads(cache.read_bytes()))
    result = list(kits())
    if cache is not None:
        cache.write_bytes(pickle.dumps(result))
    return result


def main() -> None:
    """Run what is asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--leave-out", type=int, nargs="*", default=[])
    parser.add_argument("--without", nargs="*", default=[], choices=list(RULES), metavar="RULE")
    parser.add_argument("--kits", type=int, nargs="*")
    parser.add_argument("--only", nargs="*", default=list(CONDITIONS))
    parser.add_argument("--cache", type=Path)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--verbose", action="store_true")
    parser.add_argument("--keep", type=Path, help="write every score to a file (bench.results)")
    arguments = parser.parse_args()
    for name in arguments.without:
        without(name)
    every = cached_kits(arguments.cache)
    numbers = arguments.kits if arguments.kits is not None else range(len(every))
    chosen = [(i, every[i]) for i in numbers if i not in arguments.leave_out]
    print(f"{len(chosen)} of {len(every)} kits")
    if not chosen:
        print("Install kits first: apt-get install fluidsynth timgm6mb-soundfont (and others)")
        return
    kept: dict[str, dict[str, list[float]]] = {}
    with ProcessPoolExecutor(2, get_context("fork")) as pool:
        for condition in arguments.only:
            work = [(kit, condition, 100 * arguments.seed + i) for i, kit in chosen]
            total = Score()
            for score in pool.map(one, *zip(*work, strict=True)):
                total.add(score)
            kept[condition] = total.numbers()
            print(f"== {condition}")
            for line in total.lines() + (total.notes if arguments.verbose else []):
                print("  ", line)
    if arguments.keep is not None:
        known = {
            "analysis_version": ANALYSIS_VERSION,
            "kits": [number for number, _ in chosen],
            "seed": arguments.seed,
            "scores": kept,
        }
        arguments.keep.write_text(json.dumps(known, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
