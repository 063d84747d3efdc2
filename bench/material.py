"""Real sampled kits, where Debian's packages of them are installed, made into recordings.

Conventions
-----------
Kits come from the folders of drum-machine kits (``drumkit.xml`` with sound files) and from
soundfonts' percussion banks played by ``fluidsynth``. Nothing of them is kept in the repository.
Samples are float64, shape (n, 2), at ``RATE``. Voices are ``kick``, ``snare``, ``tom-1`` … (high to
low), ``hat``, ``cymbal``.
"""

import re
import struct
import subprocess
import tempfile
import xml.etree.ElementTree as ET
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from scipy.signal import fftconvolve, find_peaks

Array = NDArray[np.float64]
RATE = 44100
KIT_FOLDERS = Path("/usr/share/hydrogen/data/drumkits")
FONT_FOLDERS = Path("/usr/share/sounds/sf2")
LAYER_S = 4.0
WORDS = {
    "kick": r"kick|bass ?drum",
    "snare": r"snare",
    "tom": r"\btom",
    "hat": r"hat|hh",
    "cymbal": r"ride|crash|splash|china",
}
OTHER = r"stick|rim|click|bell|cup|off|roll|clap|choke|tambourine|flink|swish|redo|foot|pedal"
FONT_NOTES = {"kick": (36,), "snare": (38,), "tom": (48, 45, 41), "hat": (42,), "cymbal": (49, 51)}
ACOUSTIC_PRESETS = (0, 2, 8, 10, 16)
VELOCITIES = (50, 85, 115)


@dataclass(frozen=True, slots=True)
class Sampled:
    """A drum: its strokes from soft to loud, each (n, 2)."""

    voice: str
    layers: tuple[Array, ...]


@dataclass(frozen=True, slots=True)
class Kit:
    """A kit with toms from high to low."""

    source: str
    drums: dict[str, Sampled]


@dataclass(frozen=True, slots=True)
class Recording:
    """A made recording with what was put in."""

    kit: Kit
    samples: Array
    events: tuple[tuple[float, str], ...]


def _read(path: Path) -> Array:
    samples, rate = soundfile.read(path, always_2d=True)
    if rate != RATE:
        samples = soxr.resample(samples, rate, RATE)
    stereo = np.repeat(samples, 2, axis=1) if samples.shape[1] == 1 else samples[:, :2]
    return stereo[: int(LAYER_S * RATE)]


def _usable(layers: list[Array]) -> bool:
    return bool(layers) and max(float(np.abs(x).max(initial=0.0)) for x in layers) > 0.02


def _folder_kit(folder: Path) -> Kit | None:
    tree = ET.parse(folder / "drumkit.xml").getroot()
    for element in tree.iter():
        element.tag = element.tag.split("}")[-1]
    result: dict[str, list[list[Array]]] = {voice: [] for voice in WORDS}
    seen = set()
    for instrument in tree.iter("instrument"):
        name = (instrument.findtext("name") or "").lower()
        files = [f.text for f in instrument.iter("filename") if f.text]
        voice = next((v for v, words in WORDS.items() if re.search(words, name)), None)
        if voice is None or not files or re.search(OTHER, name) or files[0] in seen:
            continue
        seen.add(files[0])
        layers = [_read(folder / f) for f in files if (folder / f).exists()]
        if _usable(layers):
            layers.sort(key=lambda x: float(np.sum(x**2)))
            result[voice].append(layers)
    return _kit(folder.name, result)


def _kit(source: str, matches: dict[str, list[list[Array]]]) -> Kit | None:
    if any(not drums for drums in matches.values()):
        return None
    drums = {v: Sampled(v, tuple(matches[v][0])) for v in ("kick", "snare", "hat", "cymbal")}
    toms = [(reference_pitch_hz(t[-1], "tom"), t) for t in matches["tom"]]
    toms.sort(key=lambda row: -row[0])
    apart: list[tuple[float, list[Array]]] = []
    for pitch, layers in toms:
        if not apart or pitch < 0.93 * apart[-1][0]:
            apart.append((pitch, layers))
    for index, (_, layers) in enumerate(apart[:4]):
        drums[f"tom-{index + 1}"] = Sampled(f"tom-{index + 1}", tuple(layers))
    return Kit(source, drums)


def _presets(font: Path) -> list[tuple[int, int]]:
    data = font.read_bytes()
    position = data.rfind(b"phdr")
    size = struct.unpack("<I", data[position + 4 : position + 8])[0]
    rows = [data[position + 8 + k : position + 8 + k + 38] for k in range(0, size, 38)]
    numbers = [struct.unpack("<HH", row[20:24]) for row in rows]
    return sorted({(bank, preset) for preset, bank in numbers if bank == 128} or {(0, 0)})


def play(font: Path, midi: mido.MidiFile) -> Array:
    """Return a MIDI file played by fluidsynth, dry."""
    with tempfile.TemporaryDirectory() as folder:
        score, sound = Path(folder) / "score.mid", Path(folder) / "sound.wav"
        midi.save(score)
        command = ["fluidsynth", "-niq", "-R", "0", "-C", "0", "-g", "0.5", "-r", str(RATE)]
        subprocess.run(
            [*command, "-F", str(sound), str(font), str(score)], check=True, capture_output=True
        )
        samples, _ = soundfile.read(sound, always_2d=True)
    return np.asarray(samples, np.float64)


def _font_kit(font: Path, bank: int, preset: int) -> Kit | None:
    midi = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    midi.tracks.append(track)
    channel = 9 if bank == 128 else 0
    track.append(mido.Message("program_change", channel=channel, program=preset))
    wanted = [(v, n, vel) for v, notes in FONT_NOTES.items() for n in notes for vel in VELOCITIES]
    ticks = int(LAYER_S * 960)
    for _, note, velocity in wanted:
        track.append(mido.Message("note_on", channel=channel, note=note, velocity=velocity, time=0))
        track.append(mido.Message("note_off", channel=channel, note=note, velocity=0, time=ticks))
    samples = play(font, midi)
    result: dict[str, list[list[Array]]] = {voice: [] for voice in WORDS}
    size = int(LAYER_S * RATE)
    for index, (voice, _, velocity) in enumerate(wanted):
        if velocity == VELOCITIES[0]:
            result[voice].append([])
        result[voice][-1].append(_from_onset(samples[index * size : (index + 1) * size]))
    if any(not _usable(layers) for drums in result.values() for layers in drums):
        return None
    return _kit(f"{font.name}:{preset}", result)


def _from_onset(piece: Array) -> Array:
    loud = np.nonzero(np.abs(piece).max(axis=1) > 0.02 * np.abs(piece).max(initial=1e-9))[0]
    return piece[max(int(loud[0]) - 20, 0) :] if len(loud) else piece


def kits() -> Iterator[Kit]:
    """Yield every kit that is installed and whole, in a fixed order."""
    for folder in sorted(KIT_FOLDERS.glob("*/drumkit.xml")):
        kit = _folder_kit(folder.parent)
        if kit is not None:
            yield kit
    for font in sorted(FONT_FOLDERS.glob("*.sf2")):
        if font.is_symlink():
            continue
        for bank, preset in [row for row in _presets(font) if row[1] in ACOUSTIC_PRESETS]:
            kit = _font_kit(font, bank, preset)
            if kit is not None:
                yield kit


SPANS = {"tom": (0.08, 0.35), "kick": (0.02, 0.15), "snare": (0.02, 0.15)}
RANGES = {"tom": (50.0, 260.0), "kick": (32.0, 130.0), "snare": (125.0, 340.0)}


def reference_pitch_hz(stroke: Array, kind: str) -> float:
    """Return a lone stroke's settled pitch in Hz.

    The mode is the highest peak of its span's spectrum in range (snare: the lowest within 9 dB);
    its pitch is the energy-weighted instantaneous frequency of the band around it over the span.
    """
    mono = stroke[:, int(np.argmax(np.sum(stroke**2, axis=0)))]
    first, last = SPANS[kind]
    start = onset_sample(stroke)
    piece = mono[start + int(first * RATE) : start + int(last * RATE)]
    if len(piece) < 1000:
        return float("nan")
    size = 1 << 18
    power = np.abs(np.fft.rfft(piece * np.hanning(len(piece)), size)) ** 2
    bins = np.fft.rfftfreq(size, 1.0 / RATE)
    low, high = RANGES[kind]
    inside = (bins >= low) & (bins <= high)
    peaks, _ = find_peaks(power[inside])
    if len(peaks) == 0:
        return float("nan")
    heights = power[inside][peaks]
    best = int(np.argmax(heights))
    if kind == "snare":
        best = int(np.nonzero(heights > heights.max() * 10**-0.9)[0][0])
    centre = float(bins[inside][peaks[best]])
    window = np.hanning(int(3.0 / centre * RATE))
    time = np.arange(len(mono) - start) / RATE
    turning = mono[start:] * np.exp(-2j * np.pi * centre * time)
    band = fftconvolve(turning, window / window.sum(), "same")
    result, slope = _mean_pitch(band, centre, first, last)
    rings_on = len(band) > 0.2 * RATE
    if kind == "tom" and abs(slope) > 300.0 and rings_on:
        result, _ = _mean_pitch(band, centre, 0.15, 0.45)
    return result


def _mean_pitch(
    band: NDArray[np.complex128], centre: float, first: float, last: float
) -> tuple[float, float]:
    """Return the energy-weighted pitch in Hz of a band turned to 0 Hz, and its slope in ct/s."""
    part = band[int(first * RATE) : int(last * RATE)]
    pitch = centre + np.angle(part[1:] * part[:-1].conj()) * RATE / (2 * np.pi)
    weight = np.abs(part[1:]) ** 2
    time = np.arange(len(pitch)) / RATE
    line = np.polyfit(time, 1200 * np.log2(np.maximum(pitch, 1.0)), 1, w=np.sqrt(weight))
    return float(np.average(pitch, weights=weight)), float(line[0])


def onset_sample(stroke: Array) -> int:
    """Return the first sample at a tenth of the stroke's peak."""
    level = np.abs(stroke).max(axis=1)
    return int(np.argmax(level > 0.1 * level.max()))


def reference_t60_s(stroke: Array, pitch_hz: float) -> float:
    """Return a lone stroke's T60: slope of the band level around its pitch from −3 to −23 dB."""
    mono = stroke[:, int(np.argmax(np.sum(stroke**2, axis=0)))][onset_sample(stroke) :]
    time = np.arange(len(mono)) / RATE
    size = int(4.0 / pitch_hz * RATE)
    window = np.hanning(size) / size
    level = np.abs(fftconvolve(mono * np.exp(-2j * np.pi * pitch_hz * time), window, "same"))[::64]
    time = time[::64]
    decibels = 20.0 * np.log10(level + 1e-9)
    peak = int(np.argmax(decibels))
    under = np.nonzero(decibels[peak:] < decibels[peak] - 23.0)[0]
    last = peak + int(under[0]) if len(under) else len(decibels)
    keep = np.arange(len(decibels))
    keep = (keep >= peak) & (keep < last) & (decibels < decibels[peak] - 2.0)
    if np.count_nonzero(keep) < 8:
        return float("nan")
    slope = np.polyfit(time[keep], decibels[keep], 1)[0]
    return float(-60.0 / slope) if slope < 0 else float("nan")
