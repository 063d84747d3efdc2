"""Run every benchmark and print its ratio: ``make bench``."""

import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context

import librosa
import numpy as np
from scipy.signal import ShortTimeFFT
from scipy.signal.windows import hann

from bench import planning, tuning
from bench.hand_change import hand_changes
from bench.mixes import four_minutes, peak_of_whole, whole
from bench.setlist import setlists
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.pitch.esprit import fit_damped_sinusoids
from emblar.core.analysis.signal.audio import Audio
from emblar.core.synthesis.low_ferry import render_low_ferry
from emblar.platform.sound.decode import decode
from emblar.platform.sound.encode import encode

RATE = 2100.0


def best_of(times: int, work: Callable[[], object]) -> float:
    """Return the shortest of some runs in s."""
    result = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        result.append(time.perf_counter() - began)
    return min(result)


def bound(
    amplitude: float, gamma: float, omega: float, noise: float, n: int
) -> tuple[float, float]:
    """Return the Cramér–Rao bounds (sd) of frequency in Hz and decay rate in 1/s.

    From the Fisher matrix of A exp(−γt) cos(ωt + φ) in white noise, inverted numerically.
    """
    t = np.arange(n) / RATE
    envelope, phase = np.exp(-gamma * t), omega * t + 0.7
    rows = np.array(
        [
            envelope * np.cos(phase),
            -amplitude * envelope * np.sin(phase),
            -amplitude * t * envelope * np.sin(phase),
            -amplitude * t * envelope * np.cos(phase),
        ]
    )
    covariance = np.linalg.inv(rows @ rows.T / noise**2)
    return float(np.sqrt(covariance[2, 2]) / (2 * np.pi)), float(np.sqrt(covariance[3, 3]))


def estimator() -> None:
    """Frequency and decay error of one fit as a multiple of the bound."""
    rng = np.random.default_rng(11)
    n, hz, gamma = 168, 130.0, 8.0
    t = np.arange(n) / RATE
    clean = np.exp(-gamma * t) * np.cos(2 * np.pi * hz * t + 0.7)
    for snr_db in (0, 10, 20, 30, 40):
        noise = float(np.sqrt(0.5) * 10 ** (-snr_db / 20))
        errors = []
        for _ in range(300):
            result = fit_damped_sinusoids(clean + noise * rng.standard_normal(n), RATE, count=2)
            best = min(result, key=lambda s: abs(s.frequency_hz - hz))
            errors.append((best.frequency_hz - hz, best.decay_rate - gamma))
        rms = np.sqrt(np.mean(np.square(errors), axis=0))
        limits = bound(1.0, gamma, 2 * np.pi * hz, noise, n)
        print(
            f"estimator at {snr_db:2d} dB: frequency {rms[0] / limits[0]:5.2f} × the bound,"
            f" decay {rms[1] / limits[1]:5.2f} ×"
        )


def analysis() -> None:
    """Analysis of the demo song against decoding it plus one STFT."""
    song = render_low_ferry()
    rate = song.sample_rate_hz
    data = encode(song.samples, rate, container="FLAC", subtype="PCM_16")
    audio = decode(data).audio
    transform = ShortTimeFFT(hann(1024), 220, rate)

    def peer() -> None:
        transform.stft(decode(data).audio.samples.mean(axis=1))

    ours, theirs = best_of(2, lambda: analyse(audio)), best_of(3, peer)
    print(
        f"analysis of {audio.duration_s:.0f} s: {ours:.2f} s, {ours / theirs:.1f} × decode + STFT"
    )
    render = best_of(1, render_low_ferry)
    print(f"rendering the song: {audio.duration_s / render:.1f} × real time")


def mix() -> None:
    """Whole analysis of a 4-minute stereo mix, drums taken out, against two stock calls on it."""
    audio = four_minutes()
    librosa.effects.hpss(audio.samples[:44100].T)
    librosa.onset.onset_detect(y=audio.samples[:44100, 0], sr=audio.sample_rate_hz)

    def peer() -> None:
        librosa.effects.hpss(np.ascontiguousarray(audio.samples.T))
        librosa.onset.onset_detect(y=audio.samples.mean(axis=1), sr=audio.sample_rate_hz)

    mine, theirs = best_of(1, lambda: whole(audio)), best_of(1, peer)
    print(f"mix of 240 s: {mine:.1f} s, {mine / theirs:.2f} × hpss + onset_detect ({theirs:.1f} s)")


def growth() -> None:
    """Time of 1, 4 and 16 minutes of drums."""
    song = render_low_ferry()
    minute = song.samples[: 45 * song.sample_rate_hz]
    took = []
    for minutes in (1, 4, 16):
        audio = Audio(np.tile(minute, (minutes * 60 // 45 + 1, 1)), song.sample_rate_hz)
        took.append(best_of(1, partial(analyse, audio)) / audio.duration_s)
    print(
        "analysis per second of sound, 1, 4, 16 minutes: " + ", ".join(f"{t:.4f} s" for t in took)
    )


def memory() -> None:
    """Peak memory of the whole analysis of the 4-minute mix, in a process of its own."""
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        print(f"peak memory of the 4-minute mix: {next(pool.map(peak_of_whole, [0])):.0f} MB")


def main() -> None:
    """Run all."""
    estimator()
    planning.main()
    hand_changes()
    setlists()
    analysis()
    growth()
    mix()
    memory()
    tuning.main()


if __name__ == "__main__":
    main()
