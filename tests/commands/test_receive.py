"""`receive` under attack: what it keeps, what it refuses, how much of it is in memory, and that nobody holds it up."""

from __future__ import annotations

import json
import signal
import smtplib
import socket
import ssl
import subprocess
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest

from support import PATIENCE, PROGRAM

HEAD = b"POST /x HTTP/1.1\r\nHost: h\r\nX-Name: caf\xe9\r\n"


@contextmanager
def receiving(folder: Path, *words: str, limit: str = "") -> Iterator[tuple[subprocess.Popen[str], dict[str, Any]]]:
    """Run `receive` until the block's end; ``limit`` is what the shell says first."""
    command = [str(PROGRAM), "receive", "--into", "kept", "--json", *words]
    if limit:
        command = ["bash", "-c", f'{limit}; exec "$0" "$@"', *command]
    with subprocess.Popen(command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as program:
        assert program.stdout is not None
        lines: list[str] = []
        while not lines or lines[-1] != "}\n":
            lines.append(program.stdout.readline())
            assert lines[-1], program.communicate()
        try:
            yield program, json.loads("".join(lines))["ports"]
        except BaseException:
            program.kill()
            raise
        if program.poll() is None:
            program.send_signal(signal.SIGTERM)


def asked(port: int, *parts: bytes) -> bytes:
    with socket.create_connection(("127.0.0.1", port), timeout=PATIENCE) as one:
        for part in parts:
            one.sendall(part)
        return one.recv(4096)


def peak(program: subprocess.Popen[str]) -> int:
    """Return the most memory that a process had, in MB."""
    lines = Path(f"/proc/{program.pid}/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) // 1024


@pytest.mark.parametrize(
    "parts, status, kept",
    [
        ([HEAD + b"Content-Length: 5\r\n\r\n", b"gr\xc3\xbc\xc3"], b"204", b"\r\n\r\ngr\xc3\xbc\xc3"),
        ([HEAD + b"Transfer-Encoding: chunked\r\n\r\n", b"3;a=b\r\nabc\r\nA\r\n0123456789\r\n0\r\nTrailer: x\r\n\r\n"], b"204", b"\r\n\r\nabc0123456789"),
        ([HEAD + b"Content-Length: 999999999999\r\n\r\n"], b"413", None),
        ([HEAD + b"Transfer-Encoding: chunked\r\n\r\nzz\r\n"], b"", None),
        ([HEAD + b"Transfer-Encoding: chunked\r\n\r\n-5\r\n"], b"", None),
        ([HEAD + b"Transfer-Encoding: gzip\r\n\r\n"], b"", None),
        ([HEAD + b"Content-Length: x\r\n\r\n"], b"", None),
    ],
)  # fmt: skip
def test_requests_are_kept_as_they_came_or_refused(folder: Path, parts: list[bytes], status: bytes, kept: bytes | None) -> None:
    with receiving(folder) as (_, ports):
        answer = asked(ports["http"], *parts)
    found = [one.read_bytes() for one in (folder / "kept/received").glob("http/*")]

    assert answer[9:12] == status
    assert len(found) == (kept is not None)
    assert all(kept is not None and one.endswith(kept) and b"X-Name: caf\xe9\r\n" in one for one in found)


def test_much_at_once_lies_on_disk(folder: Path) -> None:
    """Six requests and a message of 48 MiB, and six mails of 12 MiB, at the same time."""
    body = b"x" * (48 << 20)

    def request(port: int) -> bytes:
        return asked(port, HEAD + b"Content-Length: %d\r\n\r\n" % len(body), body)

    def mail(port: int) -> Any:
        with smtplib.SMTP("127.0.0.1", port, timeout=PATIENCE) as one:
            return one.sendmail("a@b.example", ["c@d.example"], b"Subject: x\r\n\r\n" + (b"y" * 78 + b"\r\n") * 150_000)

    with receiving(folder) as (program, ports), ThreadPoolExecutor(12) as pool:
        answers = [pool.submit(request, ports["http"]) for _ in range(6)] + [pool.submit(mail, ports["smtp"]) for _ in range(6)]
        with socket.create_connection(("127.0.0.1", ports["syslog_tcp"])) as one:
            one.sendall(b"%d " % len(body) + body)
        results = [answer.result() for answer in answers]
        most = peak(program)
    kept = folder / "kept/received"

    assert [answer[9:12] for answer in results[:6]] == [b"204"] * 6
    assert len(list(kept.glob("mail/*"))) == 6
    assert (kept / "syslog/tcp.frames").stat().st_size == len(body) + 9
    assert most < 300


def test_silent_and_endless_clients_hold_nobody_up(folder: Path) -> None:
    with receiving(folder) as (program, ports):
        silent = [socket.create_connection(("127.0.0.1", ports["syslog_tls"])) for _ in range(8)]
        digits = socket.create_connection(("127.0.0.1", ports["syslog_tcp"]))
        digits.sendall(b"1" * 100)
        assert digits.recv(1) == b""  # the count is none: the connection ends
        context = ssl._create_unverified_context()
        with (
            socket.create_connection(("127.0.0.1", ports["syslog_tls"]), timeout=PATIENCE) as plain,
            context.wrap_socket(plain) as one,
        ):
            one.sendall(b"5 hello")
        with smtplib.SMTP("127.0.0.1", ports["smtp"], timeout=PATIENCE) as mail:
            mail.docmd("\x1b[31mEVIL\x1b[0m")
            assert mail.sendmail("a@b.example", ["c@d.example"], b"Subject: x\r\n\r\nhello") == {}
        for one_silent in (*silent, digits):
            one_silent.close()
        program.send_signal(signal.SIGTERM)
        _, said = program.communicate(timeout=PATIENCE)

    assert (folder / "kept/received/syslog/tls.frames").read_bytes() == b"5 hello"
    assert "\x1b" not in said


def test_after_a_kill_what_was_kept_stays(folder: Path) -> None:
    for turn in range(3):
        with receiving(folder) as (program, ports):
            assert asked(ports["http"], HEAD + b"Content-Length: 1\r\n\r\n", b"%d" % turn)[9:12] == b"204"
            program.kill()
            program.wait()
    kept = [(one.name, one.read_bytes()[-1:]) for one in sorted((folder / "kept/received/http").iterdir())]
    rehearsal = subprocess.run([PROGRAM, "rehearse", "p.yaml", "e.jsonl", "--into", "kept"], cwd=folder, capture_output=True, text=True, check=False)  # fmt: skip

    assert kept == [("0001.request", b"0"), ("0002.request", b"1"), ("0003.request", b"2")]
    assert rehearsal.returncode == 2


def test_where_nothing_can_be_kept_senders_are_told(folder: Path) -> None:
    """A limit on files' sizes acts as a full disk does: the write fails."""
    with receiving(folder, limit="trap '' XFSZ; ulimit -f 8") as (program, ports):
        small = asked(ports["http"], HEAD + b"Content-Length: 1\r\n\r\n", b"a")
        large = asked(ports["http"], HEAD + b"Content-Length: 40000\r\n\r\n", b"b" * 40_000)
        again = asked(ports["http"], HEAD + b"Content-Length: 1\r\n\r\n", b"c")
        program.send_signal(signal.SIGTERM)
        _, said = program.communicate(timeout=PATIENCE)

    assert [small[9:12], large[9:12], again[9:12]] == [b"204", b"507", b"204"]
    assert sorted(one.name for one in (folder / "kept/received/http").iterdir()) == ["0001.request", "0002.request"]
    assert "what arrives cannot be kept" in said
    assert "received: 2 http" in said
