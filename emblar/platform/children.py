"""Child processes that do not outlive us.

Linux only: the kernel sends a child a signal when the thread that made it ends, so that even after
``kill -9`` nothing is left running. ``setpriv`` (Debian's util-linux, always there) asks for it.
"""

import signal
import subprocess
import threading
from typing import Any

RESTART_PAUSE_S = 1.0


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


class Kept:
    """A child process that is started again should it die.

    Parameters
    ----------
    command
        What to run.
    pass_fds
        File descriptors that it gets.
    """

    def __init__(self, command: list[str], pass_fds: tuple[int, ...] = ()) -> None:
        self._command, self._pass_fds = command, pass_fds
        self._leaving = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        # The child is told when the thread that made it ends: it stays for as long as we do.
        self._thread = threading.Thread(target=self._keep, name="keeper", daemon=True)

    def start(self) -> None:
        """Start it and keep it running."""
        self._thread.start()

    def _keep(self) -> None:
        while not self._leaving.is_set():
            self._process = subprocess.Popen(
                dies_with_us(signal.SIGTERM, self._command),
                start_new_session=True,
                pass_fds=self._pass_fds,
            )
            self._process.wait()
            self._leaving.wait(RESTART_PAUSE_S)

    def stop(self, *signals: signal.Signals, patience_s: float) -> None:
        """Stop it, if it was started."""
        self._leaving.set()
        if self._process is not None:
            stop(self._process, *signals, patience_s=patience_s)
        if self._thread.is_alive():
            self._thread.join(5.0)
