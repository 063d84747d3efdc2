"""Decode in a process of its own: what a file unpacks to is bounded in time, memory and size.

A megabyte of compressed silence may unpack to gigabytes, and a decoder may have faults of its own;
neither must take the web process with it. Only a few such processes run at a time, pictures and
sounds together; who comes later waits, and is refused after ``WAIT_S``. A recording that is kept is
decoded, checked and encoded in the other process: its samples never come back.
"""

import json
import os
import resource
import subprocess
import sys
import threading

import numpy as np

from emblar.core.analysis.signal.audio import Audio, check_audio
from emblar.core.errors import BadAudioError
from emblar.platform.sound.decode import MEDIA_TYPES, RECORD, Decoded, Limits, check_size, decode
from emblar.platform.sound.encode import kept_form

MEMORY_BYTES = 3 * 2**30
"""Address space of one such process: the largest recording, its FLAC, and the libraries."""
CPU_S = 60
"""Processor time of one such process, s."""
WALL_S = 90.0
"""How long one such process may take, s."""
AT_ONCE = 2
"""How many run at a time in one web process."""
WAIT_S = 60.0
"""How long a file waits for its turn, s."""
TOO_MUCH = (
    "The file takes too long or too much memory to unpack, so it was not kept. Cut out the part "
    "you want, or save it as WAV or FLAC."
)
BROKEN = "The file cannot be unpacked. Export it again, as WAV or FLAC if you can."
BUSY = "Other files are being read just now. Nothing was kept; send it again in a minute."
_turns = threading.BoundedSemaphore(AT_ONCE)


class ApartError(Exception):
    """A process of its own did not finish: too much, broken, or no turn came."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.text = text


def run_apart(module: str, arguments: list[str], data: bytes) -> tuple[dict[str, object], bytes]:
    """Run a module in a process of its own, one of a few at a time.

    Parameters
    ----------
    module, arguments
        What to run: it calls ``bounded`` first, reads ``data`` and answers with a line of JSON and
        then bytes.
    data
        What it reads.

    Raises
    ------
    ApartError
        It takes too long or too much memory, ends without an answer, or no turn came.
    """
    if not _turns.acquire(timeout=WAIT_S):
        raise ApartError(BUSY)
    try:
        done = subprocess.run(
            [sys.executable, "-m", module, *arguments],
            input=data,
            capture_output=True,
            timeout=WALL_S,
            check=False,
            env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
        )
    except subprocess.TimeoutExpired as error:
        raise ApartError(TOO_MUCH) from error
    finally:
        _turns.release()
    end = done.stdout.find(b"\n")
    if done.returncode != 0 or end < 0:
        out_of_memory = b"MemoryError" in done.stderr or done.returncode < 0
        raise ApartError(TOO_MUCH if out_of_memory else BROKEN)
    answer: dict[str, object] = json.loads(done.stdout[:end])
    # A view: the samples of a clip are not copied once more.
    return answer, memoryview(done.stdout)[end + 1 :]  # type: ignore[return-value]


def bounded() -> None:
    """Bound the memory and time of this process; it leaves no core file."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (CPU_S, CPU_S))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _read_apart(what: str, data: bytes, limits: Limits) -> tuple[dict[str, object], bytes]:
    check_size(len(data))
    arguments = [what, str(limits.longest_s), str(limits.most_samples)]
    try:
        answer, rest = run_apart("emblar.platform.sound.apart", arguments, data)
    except ApartError as error:
        raise BadAudioError(error.text) from error
    if "error" in answer:
        raise BadAudioError(str(answer["error"]))
    return answer, rest


def decode_apart(data: bytes, limits: Limits = RECORD) -> Decoded:
    """Decode a sound file as ``decode`` does, in a process of its own.

    Raises
    ------
    BadAudioError
        As ``decode``; or it takes more time or memory than a recording should.
    """
    answer, samples = _read_apart("samples", data, limits)
    sound = np.frombuffer(samples, np.float32).reshape(-1, int(str(answer["channels"])))
    audio = Audio(sound, int(str(answer["rate"])))
    return Decoded(audio, str(answer["container"]), str(answer["subtype"]))


def keep_apart(data: bytes, limits: Limits = RECORD) -> tuple[bytes, str]:
    """Check a recording in a process of its own; return the bytes to keep and their media type.

    Raises
    ------
    BadAudioError
        As ``decode``; it holds nothing to measure; or it takes too much time or memory.
    """
    answer, kept = _read_apart("keep", data, limits)
    return (data if answer["as_it_is"] else bytes(kept)), str(answer["media_type"])


def media_type_apart(data: bytes, limits: Limits = RECORD) -> str:
    """Decode a stored recording whole in a process of its own; return its media type.

    Raises
    ------
    BadAudioError
        As ``decode``; or it takes too much time or memory.
    """
    answer, _ = _read_apart("check", data, limits)
    return str(answer["media_type"])


def main() -> None:
    """Read what comes in; write a line of JSON, then samples as 32-bit floats, or what to keep."""
    bounded()
    out = sys.stdout.buffer
    data = sys.stdin.buffer.read()
    try:
        decoded = decode(data, Limits(float(sys.argv[2]), int(sys.argv[3])))
        if sys.argv[1] == "keep":
            check_audio(decoded.audio)
    except BadAudioError as error:
        out.write(json.dumps({"error": str(error)}).encode() + b"\n")
        return
    if sys.argv[1] == "check":
        out.write(json.dumps({"media_type": MEDIA_TYPES[decoded.container]}).encode() + b"\n")
        return
    if sys.argv[1] == "keep":
        kept, media_type = kept_form(data, decoded)
        as_it_is = kept is data
        head: dict[str, object] = {"media_type": media_type, "as_it_is": as_it_is}
        out.write(json.dumps(head).encode() + b"\n")
        out.write(b"" if as_it_is else kept)
        return
    audio = decoded.audio
    head = {
        "rate": audio.sample_rate_hz,
        "channels": audio.channels,
        "container": decoded.container,
        "subtype": decoded.subtype,
    }
    out.write(json.dumps(head).encode() + b"\n")
    out.write(np.ascontiguousarray(audio.samples, np.float32).data)


if __name__ == "__main__":
    main()
