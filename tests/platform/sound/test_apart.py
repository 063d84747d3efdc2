"""What a file unpacks to never reaches the web process, and only a few are read at a time."""

import io
import subprocess
import threading
import time
from typing import Any

import numpy as np
import pytest
import soundfile

from emblar.core.errors import BadAudioError
from emblar.platform.sound import apart


def flac(seconds: float, level: float = 0.3) -> bytes:
    out = io.BytesIO()
    time_s = np.arange(int(seconds * 48000)) / 48000
    tone = level * np.sin(2.0 * np.pi * 200.0 * time_s)
    soundfile.write(out, np.stack([tone, tone], axis=1), 48000, format="FLAC")
    return out.getvalue()


def test_a_recording_that_is_kept_comes_back_without_its_samples(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    answers: list[int] = []
    run = subprocess.run

    def counted(*args: Any, **more: Any) -> Any:
        done = run(*args, **more)
        answers.append(len(done.stdout))
        return done

    monkeypatch.setattr(subprocess, "run", counted)
    data = flac(20.0)
    assert apart.keep_apart(data) == (data, "audio/flac")
    assert answers and answers[0] < 200, "20 s of stereo are 7.7 MB unpacked"


def test_only_a_few_files_are_read_at_once_and_the_rest_wait(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    running, most, lock = 0, 0, threading.Lock()

    def slow(*_: Any, **__: Any) -> Any:
        nonlocal running, most
        with lock:
            running += 1
            most = max(most, running)
        time.sleep(0.1)
        with lock:
            running -= 1
        return subprocess.CompletedProcess([], 0, b"{}\n", b"")

    monkeypatch.setattr(subprocess, "run", slow)
    threads = [threading.Thread(target=apart.run_apart, args=("m", [], b"")) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert most == apart.AT_ONCE


def test_a_file_whose_turn_does_not_come_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(apart, "WAIT_S", 0.05)
    for _ in range(apart.AT_ONCE):
        apart._turns.acquire()
    try:
        with pytest.raises(BadAudioError, match="Other files are being read"):
            apart.keep_apart(flac(0.5))
    finally:
        for _ in range(apart.AT_ONCE):
            apart._turns.release()
