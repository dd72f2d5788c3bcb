"""A cluster that works pieces: a Dask scheduler that runs already, or one that is started here."""

from __future__ import annotations

import logging
import os
import pickle
import threading
from collections import deque
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, contextmanager
from importlib import import_module
from typing import Any, TypeVar
from uuid import uuid4
from warnings import catch_warnings, simplefilter

from msgspec.structs import replace

from vetrina.core.base.faults import Refused, Unreadable, refuse
from vetrina.core.base.hidden import hidden
from vetrina.formats.inputs import Inputs
from vetrina.formats.pieces import Piece, Range
from vetrina.formats.progress import watcher
from vetrina.formats.remote import is_url
from vetrina.work.jobs import Job
from vetrina.work.worker import Done, Failed, Opened, Order, outcome

R = TypeVar("R")
PATIENCE = 5
MOST_LOCAL = 64
_AHEAD = 3
_DEAF = "import signal\nsignal.signal(signal.SIGINT, signal.SIG_IGN)\n"
"""What a worker that is started here begins with: Ctrl-C is for the one that started it."""
_VERSIONS = "[__import__('importlib.metadata').metadata.version('vetrina'), '.'.join(__import__('platform').python_version_tuple()[:2])]"
_opened: dict[str, Opened] = {}
_one_at_a_time = threading.Lock()


@contextmanager
def cluster_of(address: str, inputs: Inputs) -> Iterator[Cluster]:
    """Yield the cluster at an address (`tcp://HOST:PORT`), or one of so many processes that is started here (`local:N`)."""
    if inputs.only_once:
        raise refuse("a cluster reads files", "standard input or a pipe can be read once, and by this machine alone",
                     "put the events into a file", where="--cluster")  # fmt: skip
    try:
        distributed: Any = import_module("distributed")  # slow to load
    except ImportError:
        raise refuse("a cluster needs distributed, which is not installed", fix="pip install 'vetrina[cluster]'",
                     where="--cluster") from None  # fmt: skip
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    with ExitStack() as stack:
        stack.enter_context(catch_warnings())
        simplefilter("ignore")  # its own words of ports and versions; what matters is asked below
        if address.startswith("local:"):
            local = distributed.LocalCluster(
                n_workers=_count(address),
                threads_per_worker=1,
                dashboard_address="127.0.0.1:0",
                host="127.0.0.1",
                silence_logs=logging.CRITICAL,
                preload=[_DEAF],
            )
            stack.callback(local.close, timeout=PATIENCE)
            client = distributed.Client(local)
        else:
            client = _client(distributed, address)
        stack.callback(client.close, timeout=PATIENCE)
        yield Cluster(client, address)


def _count(address: str) -> int:
    count = address.removeprefix("local:")
    if not (count.isascii() and count.isdigit() and 1 <= int(count) <= MOST_LOCAL):
        raise refuse(f'"{address[:40]}" is no cluster', fix=f"write --cluster local:2, up to local:{MOST_LOCAL}, or tcp://HOST:PORT",
                     where="--cluster")  # fmt: skip
    return int(count)


def _client(distributed: Any, address: str) -> Any:
    """Return who talks to the scheduler at an address."""
    if not address.startswith(("tcp://", "tls://", "ws://", "wss://")):
        raise refuse(f'"{address[:60]}" is no cluster', fix="write --cluster tcp://HOST:PORT, or local:2", where="--cluster")
    try:
        return distributed.Client(address, timeout=PATIENCE)
    except (OSError, ValueError, TypeError) as error:
        why = str(error).splitlines()[0][:200] if str(error) else type(error).__name__
        raise refuse(f"no Dask scheduler answers at {address[:100]}", why, "check the address, and start one: dask scheduler",
                     where="--cluster") from None  # fmt: skip


class Cluster:
    """The workers of a scheduler; a piece whose worker dies is given to another one by the scheduler."""

    def __init__(self, client: Any, address: str) -> None:
        """Look at the workers; raise Refused where there are none, or one cannot do this work."""
        self._client, self._address = client, address
        self.near = False
        self.hands = len(self._checked())

    def _checked(self) -> dict[str, Any]:
        try:
            found: dict[str, Any] = self._client.run(eval, _VERSIONS, on_error="return")
        except (OSError, ValueError) as error:
            raise self._lost(error) from None
        if not found:
            raise refuse("the scheduler has no workers", fix=f"start some: dask worker {self._address}", where="--cluster")
        here = eval(_VERSIONS)  # noqa: S307  (a constant)
        for worker, there in found.items():
            if isinstance(there, Exception):
                fix = f"install vetrina {here[0]} where that worker runs"
                raise refuse(f"the worker {worker} has no Vetrina", fix=fix, where="--cluster")
            if there != here:
                what = f"the worker {worker} has Vetrina {there[0]} on Python {there[1]}, and here are {here[0]} and {here[1]}"
                raise refuse(what, "two versions may count differently", "install the same ones there", where="--cluster")
        return found

    def _lost(self, error: Exception) -> Refused:
        return refuse("the cluster is gone", f"{type(error).__name__}: {str(error)[:200]}", "see whether its scheduler still runs",
                      where="--cluster")  # fmt: skip

    def run(self, job: Job[R], pieces: Iterable[Piece]) -> Iterator[R]:
        """Yield what comes of every piece, in order."""
        reading, name = watcher(), uuid4().hex
        packed = pickle.dumps(Order(job, hidden()), pickle.HIGHEST_PROTOCOL)
        order = self._client.scatter(packed, broadcast=True, hash=False)
        waiting, given = deque(pieces), deque[tuple[Piece, Any]]()
        try:
            while waiting or given:
                while waiting and len(given) < _AHEAD * self.hands:
                    piece = waiting.popleft()
                    given.append((piece, self._client.submit(worked, order, name, _absolute(piece), pure=False)))
                piece, future = given.popleft()
                answer = self._answer(future)
                if reading is not None:
                    reading.add_bytes(sum(one.size for one in piece.ranges))
                yield outcome(answer)
        finally:
            self._client.cancel([future for _, future in given])

    def _answer(self, future: Any) -> Done | Failed:
        from distributed import KilledWorker  # noqa: PLC0415
        from distributed.client import FutureCancelledError  # noqa: PLC0415

        try:
            answer: Done | Failed = future.result()
        except KilledWorker:
            raise refuse("workers of the cluster died again and again at one piece", "a part of the input was not worked, so nothing is told of it",
                         "see that they have memory enough", where="--cluster") from None  # fmt: skip
        except (OSError, FutureCancelledError) as error:
            raise self._lost(error) from None
        return answer


def _absolute(piece: Piece) -> Piece:
    """Return a piece whose files are named so that other processes find them."""
    return replace(piece, ranges=tuple(map(_absolute_range, piece.ranges)))


def _absolute_range(one: Range) -> Range:
    path = one.file.path
    return one if is_url(path) else replace(one, file=replace(one.file, path=os.path.abspath(path)))  # noqa: PTH100  (links stay)


def worked(order: bytes, name: str, piece: Piece) -> Done | Failed:
    """Return what comes of a piece; it runs in a worker, one at a time."""
    with _one_at_a_time:
        opened = _opened.get(name)
        if opened is None:
            _opened.clear()
            opened = _opened[name] = Opened(pickle.loads(order))  # noqa: S301  (from whoever gave the piece)
        answer = opened.answer(0, piece)
    if isinstance(answer, Failed) and isinstance(answer.error, Unreadable):
        why = "so a worker of the cluster sees it: give files in a folder that all of them share, or a URL"
        answer.error = Unreadable([replace(answer.error.faults[0], why=why)])
    return answer
