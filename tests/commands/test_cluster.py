"""A cluster on loopback: a real scheduler, workers as processes, one of them killed; files by path and by URL."""

from __future__ import annotations

import gzip
import os
import re
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import IO

import pytest
from docs import prepare

from support import PROGRAM, Run

pytest.importorskip("distributed")
DASK = Path(sys.executable).with_name("dask")
CALLS = [
    ["routes", "plan.yaml", "week.jsonl", "--json"],
    pytest.param(["routes", "plan.yaml", "week.jsonl", "--each", "--json"], marks=pytest.mark.long),
    ["whatif", "plan.yaml", "week.jsonl", "--tune", "ropeway=debug", "--json"],
    ["rolling", "plan.yaml", "week.jsonl", "--json"],
    pytest.param(["check", "plan.yaml", "--events", "week.jsonl", "--json"], marks=pytest.mark.long),
    ["preview", "plan.yaml", "week.jsonl", "--raw", "--appender", "daybook"],
    pytest.param(["read", "fare-old.jsonl", "--plan", "plan.yaml", "--appender", "fare-ledger"], marks=pytest.mark.long),
]


def started(words: list[object], cwd: Path, said: str, env: dict[str, str] | None = None) -> tuple[subprocess.Popen[str], str]:
    """Start a process, and wait for what it says; return it with that line."""
    process = subprocess.Popen(
        [str(word) for word in words],
        cwd=cwd,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        text=True,
        env={**os.environ, **(env or {})},
    )
    assert process.stderr is not None
    line = next(line for line in process.stderr if said in line)
    threading.Thread(target=read_on, args=(process.stderr,), daemon=True).start()
    return process, line


def read_on(said: IO[str]) -> None:
    """Read to the end, so that nothing waits for it."""
    with said:
        for _ in said:
            pass


def ended(*processes: subprocess.Popen[str]) -> None:
    for process in processes:
        process.kill()
        process.wait()


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[str, list[subprocess.Popen[str]]]]:
    """Start a scheduler and two workers; yield its address and the workers."""
    folder = tmp_path_factory.mktemp("cluster")
    scheduler, line = started(
        [DASK, "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard"], folder, "Scheduler at"
    )
    address = line.split()[-1]
    words = [DASK, "worker", address, "--nthreads", "1", "--no-nanny", "--no-dashboard", "--host", "127.0.0.1"]
    workers = [started(words, folder, "Starting established")[0] for _ in range(2)]
    yield address, workers
    ended(*workers, scheduler)


@pytest.fixture(autouse=True)
def room(folder: Path) -> Path:
    prepare(folder)
    with (folder / "week.jsonl").open("ab") as file:
        file.write(b"junk\n")
    return folder


@pytest.mark.parametrize("words", CALLS, ids=lambda words: " ".join(words[:1] + words[3:4]))
def test_a_cluster_answers_as_one_process_does(run: Run, cluster: tuple[str, list[object]], words: list[str]) -> None:
    alone, together = run(*words, "--workers", "1"), run(*words, "--cluster", cluster[0])
    assert (together.code, together.out, together.err) == (alone.code, alone.out, alone.err)


class Ranges(SimpleHTTPRequestHandler):
    """Serves files, and ranges of them (RFC 9110)."""

    def log_message(self, *_: object) -> None:
        pass

    def do_GET(self) -> None:
        path = Path(self.translate_path(self.path))
        if not path.is_file():
            self.send_error(404)
            return
        data, asked = path.read_bytes(), re.match(r"bytes=(\d+)-(\d*)", self.headers.get("Range", ""))
        whole, begun = len(data), int(asked[1]) if asked else 0
        data = data[begun : int(asked[2] or whole) + 1] if asked else data
        self.send_response(206 if asked else 200)
        if asked:
            self.send_header("Content-Range", f"bytes {begun}-{begun + len(data) - 1}/{whole}")
        self.send_header("Accept-Ranges", "bytes")
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)


@pytest.fixture
def url(folder: Path) -> Iterator[str]:
    """Serve the folder on loopback."""
    server = ThreadingHTTPServer(("127.0.0.1", 0), lambda *given: Ranges(*given, directory=str(folder)))
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()
    thread.join()


def test_files_at_urls(run: Run, folder: Path, url: str, cluster: tuple[str, list[object]]) -> None:
    (folder / "more.jsonl.gz").write_bytes(gzip.compress((folder / "week.jsonl").read_bytes()))
    alone = run("routes", "plan.yaml", "week.jsonl", "--also", "more.jsonl.gz", "--json", "--workers", "1")
    words = ["routes", "plan.yaml", f"{url}/week.jsonl", "--also", f"{url}/more.jsonl.gz", "--json", "--cluster", cluster[0]]
    assert run(*words).out == alone.out
    missing = run("routes", "plan.yaml", f"{url}/nix.jsonl", "--cluster", cluster[0])
    assert (missing.code, missing.out, "nix.jsonl: fault: there is no such file" in missing.err) == (2, "", True)


def test_a_worker_that_is_killed(run: Run, folder: Path, cluster: tuple[str, list[subprocess.Popen[str]]]) -> None:
    lines = (folder / "week.jsonl").read_bytes()
    with (folder / "long.jsonl").open("wb") as file:
        for _ in range(50):
            file.write(lines)
    words = ["routes", "plan.yaml", "long.jsonl", "--json"]
    process = subprocess.Popen(
        [str(PROGRAM), *words, "--cluster", cluster[0]], cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    dying = cluster[1][0]

    def used() -> int:
        """Return how long it has worked, in hundredths of a second."""
        return int(Path(f"/proc/{dying.pid}/stat").read_text().rpartition(")")[2].split()[11])

    before = used()
    while process.poll() is None and used() < before + 30:
        time.sleep(0.02)
    assert process.poll() is None
    dying.send_signal(signal.SIGKILL)
    dying.wait()
    out, err = process.communicate(timeout=120)
    alone = run(*words, "--workers", "1")
    assert (process.returncode, out, err) == (alone.code, alone.out, alone.err)


def test_a_cluster_that_is_started_here(run: Run) -> None:
    words = ["routes", "plan.yaml", "week.jsonl", "--json"]
    alone, together = run(*words, "--workers", "1"), run(*words, "--cluster", "local:2")
    assert (together.code, together.out, together.err) == (alone.code, alone.out, alone.err)


@pytest.mark.parametrize(
    "address, said",
    [
        ("tcp://127.0.0.1:1", "no Dask scheduler answers at tcp://127.0.0.1:1"),
        ("nonsense", '"nonsense" is no cluster'),
        ("local:0", '"local:0" is no cluster'),
        ("local:many", '"local:many" is no cluster'),
        ("tcp://", "no Dask scheduler answers at tcp://"),
    ],
)
def test_a_cluster_that_is_none(run: Run, address: str, said: str) -> None:
    found = run("routes", "plan.yaml", "week.jsonl", "--cluster", address)
    assert (found.code, found.out, said in found.err, found.err.count("fault:")) == (2, "", True, 1), found.err


def test_a_scheduler_without_workers_and_with_odd_ones(
    run: Run, folder: Path, tmp_path_factory: pytest.TempPathFactory
) -> None:
    scheduler, line = started(
        [DASK, "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard"], folder, "Scheduler at"
    )
    address, workers = line.split()[-1], list[subprocess.Popen[str]]()

    def asked() -> str:
        found = run("routes", "plan.yaml", "week.jsonl", "--cluster", address)
        assert (found.code, found.out, found.err.count("fault:")) == (2, "", 1), found.err
        return found.err

    def odd(metadata: Callable[[Path], object]) -> None:
        """Start a worker that finds something else before the installed package."""
        path = tmp_path_factory.mktemp("odd")
        metadata(path)
        words = [DASK, "worker", address, "--nthreads", "1", "--no-nanny", "--no-dashboard", "--host", "127.0.0.1"]
        workers.append(started(words, folder, "Starting established", {"PYTHONPATH": str(path)})[0])

    def other_version(path: Path) -> None:
        (path / "vetrina-0.0.1.dist-info").mkdir()
        (path / "vetrina-0.0.1.dist-info/METADATA").write_text("Metadata-Version: 2.1\nName: vetrina\nVersion: 0.0.1\n")

    def no_package(path: Path) -> None:
        (path / "sitecustomize.py").write_text(
            "import importlib.metadata as m\nknown = m.version\n"
            "def version(name):\n    if name == 'vetrina':\n        raise m.PackageNotFoundError(name)\n    return known(name)\nm.version = version\n"
        )

    try:
        assert "the scheduler has no workers" in asked()
        odd(other_version)
        assert "has Vetrina 0.0.1 on Python" in asked()
        workers[0].kill()
        odd(no_package)
        while "has no Vetrina" not in (said := asked()):
            assert "has Vetrina 0.0.1" in said  # the scheduler has not yet seen that it is gone
            time.sleep(0.1)
    finally:
        ended(*workers, scheduler)
