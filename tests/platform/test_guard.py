"""Connections that send nothing are closed, and never keep others from an answer."""

import socket
import threading
import time
import urllib.request
from collections.abc import Iterator

import pytest
import uvicorn
from fastapi import FastAPI, Request

from emblar.platform import guard
from emblar.platform.postgres import free_port


@pytest.fixture
def port(monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    monkeypatch.setattr(guard, "HEADER_S", 0.4)
    monkeypatch.setattr(guard, "BODY_S", 0.4)
    monkeypatch.setattr(guard, "MOST_CONNECTIONS", 60)
    app = FastAPI()

    @app.get("/")
    async def here() -> str:
        return "here"

    @app.post("/")
    async def size(request: Request) -> int:
        return len(await request.body())

    found = free_port()
    config = uvicorn.Config(
        app, port=found, http=guard.GuardedProtocol, log_level="error", timeout_keep_alive=1
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield found
    server.should_exit = True
    thread.join()


def connected(port: int) -> socket.socket:
    made = socket.create_connection(("127.0.0.1", port))
    made.settimeout(5.0)
    return made


def is_closed_within(sock: socket.socket, seconds: float) -> bool:
    start = time.monotonic()
    try:
        while sock.recv(4096):
            pass
    except TimeoutError:
        return False
    except ConnectionError:
        pass
    return time.monotonic() - start < seconds


@pytest.mark.parametrize(
    "sent",
    [b"", b"GET / HT", b"POST / HTTP/1.1\r\nHost: a\r\nContent-Length: 100\r\n\r\nhalf"],
)
def test_a_client_that_stops_is_let_go(port: int, sent: bytes) -> None:
    with connected(port) as client:
        client.sendall(sent)
        assert is_closed_within(client, 3.0)


def test_one_letter_at_a_time_does_not_hold_a_connection(port: int) -> None:
    with connected(port) as client:
        start = time.monotonic()
        with pytest.raises(OSError):
            for letter in b"GET / HTTP/1.1\r\nX: " + b"a" * 200:
                client.sendall(bytes([letter]))
                time.sleep(0.05)
        assert time.monotonic() - start < 4.0


def test_many_silent_clients_keep_nobody_from_an_answer(port: int) -> None:
    silent = [connected(port) for _ in range(100)]
    answer = urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=5.0)
    assert answer.status == 200
    for one in silent:
        one.close()


def test_a_slow_body_that_keeps_coming_is_taken_whole(port: int) -> None:
    with connected(port) as client:
        client.sendall(b"POST / HTTP/1.1\r\nHost: a\r\nContent-Length: 50\r\n\r\n")
        for _ in range(10):
            time.sleep(0.15)
            client.sendall(b"12345")
        answer = b""
        while not answer.endswith(b"50"):
            answer += client.recv(4096)
        assert b"200 OK" in answer
        time.sleep(0.5)
        client.sendall(b"GET / HTTP/1.1\r\nHost: a\r\n\r\n")
        answer = b""
        while not answer.endswith(b'"here"'):
            answer += client.recv(4096)
        assert b"200 OK" in answer, "kept open for the next request"
