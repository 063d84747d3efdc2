"""HTTP connections that cannot be held open in silence: bounded in number and in waiting time."""

import asyncio

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

HEADER_S = 15.0
"""How long a client may take from its connection, or a request's first byte, to its last header."""
BODY_S = 30.0
"""How long a client may send nothing in the middle of a request's body, s."""
MOST_CONNECTIONS = 400
"""Connections of one server: well under the 1,024 files that a process may have open."""


class GuardedProtocol(H11Protocol):
    """HTTP/1.1 that closes what is silent.

    A connection that sends no whole header in ``HEADER_S``, or stops in a body for ``BODY_S``, is
    closed. When there are ``MOST_CONNECTIONS``, the one that has waited longest for a header makes
    room; if none waits, the new one is closed.
    """

    _deadline: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Count the connection, or make room for it; wait for its first request."""
        super().connection_made(transport)
        if len(self.connections) > MOST_CONNECTIONS:
            waiting = (c for c in self._others() if c.waits_for_header)
            oldest = min(waiting, key=lambda c: c.deadline_at, default=self)
            oldest.close()
        if not transport.is_closing():
            self._wait(HEADER_S)

    def _others(self) -> "list[GuardedProtocol]":
        others = (c for c in self.connections if c is not self)
        return [c for c in others if isinstance(c, GuardedProtocol)]

    @property
    def waits_for_header(self) -> bool:
        """Whether no request is being answered: its header is not there yet."""
        idle = self.cycle is None or self.cycle.response_complete
        return idle and self._deadline is not None

    @property
    def deadline_at(self) -> float:
        """When it is closed, by the loop's clock; infinity where it need not send anything."""
        return self._deadline.when() if self._deadline is not None else float("inf")

    def close(self) -> None:
        """Close the connection at once."""
        self._rest()
        self.transport.close()

    def data_received(self, data: bytes) -> None:
        """Take what came, and wait for the rest of it for a bounded time."""
        was_idle = self.cycle is None or self.cycle.response_complete
        super().data_received(data)
        if self.transport.is_closing():
            return
        if self.cycle is not None and not self.cycle.response_complete:
            if self.cycle.more_body:
                self._wait(BODY_S)
            else:
                self._rest()
        elif was_idle and self.conn.their_state is h11.IDLE and self._deadline is None:
            # The first bytes of a header: the rest of it must follow.
            self._wait(HEADER_S)

    def connection_lost(self, exc: Exception | None) -> None:
        """Forget the connection."""
        self._rest()
        super().connection_lost(exc)

    def _wait(self, seconds: float) -> None:
        self._rest()
        self._deadline = self.loop.call_later(seconds, self.close)

    def _rest(self) -> None:
        if self._deadline is not None:
            self._deadline.cancel()
            self._deadline = None
