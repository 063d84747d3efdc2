"""Child processes that do not outlive us.

Linux only: the kernel sends a child a signal when the thread that made it ends, so that even after
``kill -9`` nothing is left running. ``setpriv`` (Debian's util-linux, always there) asks for it.
"""

import signal
import subprocess
from typing import Any


def dies_with_us(number: signal.Signals, command: list[str]) -> list[str]:
    """Return a command whose process gets ``number`` when we die."""
    return ["setpriv", "--pdeathsig", number.name.removeprefix("SIG"), *command]


def stop(process: "subprocess.Popen[Any]", *signals: signal.Signals, patience_s: float) -> None:
    """Stop a child: each signal in turn, waiting in between, at last SIGKILL."""
    for number in signals:
        if process.poll() is not None:
            return
        process.send_signal(number)
        try:
            process.wait(patience_s)
        except subprocess.TimeoutExpired:
            continue
        return
    process.kill()
    process.wait()
