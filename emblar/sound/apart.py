"""Decode in a process of its own: what a file unpacks to is bounded in time, memory and size.

A megabyte of compressed silence may unpack to gigabytes, and a decoder may have faults of its own;
neither is to take the web process with it.
"""

import json
import os
import resource
import subprocess
import sys

import numpy as np

from emblar.core.analysis.signal.audio import Audio
from emblar.core.errors import BadAudioError
from emblar.sound.decode import RECORD, Decoded, Limits, check_size, decode

MEMORY_BYTES, CPU_S, WALL_S = 3 * 2**30, 60, 90.0
TOO_MUCH = (
    "The file takes too long or too much memory to unpack, so it was not kept. Cut out the part "
    "you want, or save it as WAV or FLAC."
)
BROKEN = "The file cannot be unpacked. Export it again, as WAV or FLAC if you can."


def decode_apart(data: bytes, limits: Limits = RECORD) -> Decoded:
    """Decode a sound file as ``decode`` does, in a process of its own.

    Raises
    ------
    BadAudioError
        As ``decode``; or it takes more time or memory than a recording should.
    """
    check_size(len(data))
    try:
        done = subprocess.run(
            [sys.executable, "-m", "emblar.sound.apart", str(limits.longest_s),
             str(limits.most_samples)],
            input=data, capture_output=True, timeout=WALL_S, check=False,
            env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
        )  # fmt: skip
    except subprocess.TimeoutExpired as error:
        raise BadAudioError(TOO_MUCH) from error
    line, _, samples = done.stdout.partition(b"\n")
    if done.returncode != 0 or not line:
        out_of_memory = b"MemoryError" in done.stderr or done.returncode < 0
        raise BadAudioError(TOO_MUCH if out_of_memory else BROKEN)
    told = json.loads(line)
    if "error" in told:
        raise BadAudioError(told["error"])
    sound = np.frombuffer(samples, np.float32).reshape(-1, told["channels"])
    return Decoded(Audio(sound, told["rate"]), told["container"], told["subtype"])


def main() -> None:
    """Decode what comes in; write one line of JSON, then the samples as 32-bit floats."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (CPU_S, CPU_S))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    out = sys.stdout.buffer
    try:
        limits = Limits(float(sys.argv[1]), int(sys.argv[2]))
        decoded = decode(sys.stdin.buffer.read(), limits)
    except BadAudioError as error:
        out.write(json.dumps({"error": str(error)}).encode() + b"\n")
        return
    audio = decoded.audio
    told = {"rate": audio.sample_rate_hz, "channels": audio.channels,
            "container": decoded.container, "subtype": decoded.subtype}  # fmt: skip
    out.write(json.dumps(told).encode() + b"\n")
    out.write(np.ascontiguousarray(audio.samples, np.float32).data)


if __name__ == "__main__":
    main()
