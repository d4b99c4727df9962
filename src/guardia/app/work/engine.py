"""Where clips are measured: in processes on this machine, or on a dask scheduler that is there already.

Both give the same results: a task is a pure function of what it carries. Nothing goes to an address nobody entered.
"""

from __future__ import annotations

import os
import signal
import tempfile
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from dataclasses import dataclass, fields, replace
from multiprocessing import active_children, get_context
from multiprocessing.synchronize import Event
from pathlib import Path
from typing import Any

from guardia.core.base.errors import Cancelled, InvalidValue, ProjectError
from guardia.core.trace.measure import MODEL_VERSION

REACHED_WITHIN_S = 10.0
GIVES_WAY_BY = 10
"""Steps of nice of what is done behind."""


@dataclass(frozen=True)
class Cluster:
    """A dask scheduler."""

    address: str
    """Such as tcp://10.0.0.5:8786 or tls://measuring:8786."""
    shared: bool = False
    """The workers see the files under the same paths; else their bytes go with the tasks."""
    authority: Path | None = None
    """For TLS: the certificate of the authority, PEM."""
    certificate: Path | None = None
    """Of this client, PEM."""
    key: Path | None = None
    """Its key, PEM."""

    def __post_init__(self) -> None:
        scheme, _, rest = self.address.partition("://")
        if scheme not in ("tcp", "tls") or not rest.rpartition(":")[2].isdigit():
            raise InvalidValue(
                f"'{self.address}' is no address of a scheduler.",
                do="Write it like tcp://name:8786 or tls://name:8786.",
            )


class Engine:
    """Gives tasks out; made by engine().

    Args:
        start: Starts what they run on.
        workers: How many run at a time.
        sends: The bytes of files go with them.
        stop: Tells those under way that they are no longer wanted.
    """

    def __init__(
        self, start: Callable[[], Executor], workers: int, *, sends: bool, stop: Callable[[], object] = lambda: None
    ) -> None:
        self._start, self.workers, self._sends, self.stop = start, workers, sends, stop
        self.executor = start()

    def submit(self, work: Callable[[Any], Any], task: Any) -> Future[Any]:
        """Have a task done, with the files that it names; its result, or what it raised, is in the future."""
        return self.executor.submit(_done, work, task, _contents(task) if self._sends else {}, MODEL_VERSION)

    @staticmethod
    def died(error: BaseException) -> bool:
        """Whether an error says that the process which worked on a task died, not that the task failed."""
        return isinstance(error, BrokenProcessPool) or type(error).__name__ == "KilledWorker"

    def renew(self) -> None:
        """Start anew after a process died that took the others with it."""
        self.executor.shutdown(wait=False, cancel_futures=True)
        self.executor = self._start()


def _paths(task: Any) -> Iterator[tuple[str, tuple[Path, ...]]]:
    """The fields of a task that are paths, and those that hold some."""
    for field in fields(task):
        value = getattr(task, field.name)
        if isinstance(value, Path):
            yield field.name, (value,)
        elif isinstance(value, tuple) and value and all(isinstance(one, Path) for one in value):
            yield field.name, value


def _contents(task: Any) -> dict[str, bytes]:
    return {str(path): path.read_bytes() for _, paths in _paths(task) for path in paths}


def _done(work: Callable[[Any], Any], task: Any, contents: dict[str, bytes], model: int) -> Any:
    """On the worker: do a task, with the files that came with it."""
    if model != MODEL_VERSION:
        raise ProjectError(
            f"A worker measures by version {MODEL_VERSION} of the motion model, this machine by {model}.",
            do="Install the same Guardia on the workers.",
        )
    if not contents:
        return work(task)
    with tempfile.TemporaryDirectory(prefix="guardia-task-") as folder:
        here = {}
        for number, (name, content) in enumerate(contents.items()):
            here[name] = Path(folder) / str(number) / Path(name).name  # what is told of a file names it
            here[name].parent.mkdir()
            here[name].write_bytes(content)
        moved = {
            name: here[str(paths[0])] if isinstance(getattr(task, name), Path) else tuple(here[str(p)] for p in paths)
            for name, paths in _paths(task)
        }
        return work(replace(task, **moved))


_stop: Event | None = None
"""In a process of an engine: set when what it does is no longer wanted."""


def _begin(steps: int, stop: Event) -> None:
    """In a new process: give way by some steps of nice, and leave Ctrl+C to the one that started it."""
    global _stop
    _stop = stop
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(steps)


def still_wanted() -> bool:
    """In a process of an engine: raises Cancelled once what it does is no longer wanted; on a cluster never."""
    if _stop is not None and _stop.is_set():
        raise Cancelled
    return True


@contextmanager
def engine(cluster: Cluster | None = None, *, behind: bool = False) -> Iterator[Engine]:
    """Open an engine; leaving it ends its processes, or lets go of the scheduler, which stays.

    Args:
        cluster: The scheduler, None for all cores of this machine.
        behind: On this machine in one process only, which gives way to whatever else is to be done.

    Yields:
        To give tasks to.

    Raises:
        ProjectError: If the scheduler cannot be reached or has no worker, or dask is not installed.
    """
    if cluster is None:
        count = 1 if behind else os.cpu_count() or 1
        context = get_context("spawn")
        stop = context.Event()
        begin = (_begin, (GIVES_WAY_BY if behind else 0, stop))
        own = Engine(lambda: ProcessPoolExecutor(count, context, *begin), count, sends=False, stop=stop.set)
        try:
            yield own
        except KeyboardInterrupt:
            for child in active_children():
                child.terminate()
            raise
        finally:
            own.executor.shutdown(cancel_futures=True)
        return
    try:
        import distributed
    except ImportError as error:
        raise ProjectError(
            "Measuring on a cluster needs the library 'distributed'.", do="Install guardia[cluster]."
        ) from error
    keys = {"tls_ca_file": cluster.authority, "tls_client_cert": cluster.certificate, "tls_client_key": cluster.key}
    security: Any = (
        distributed.Security(**{name: str(path) for name, path in keys.items() if path}) if any(keys.values()) else None
    )
    try:
        client: Any = distributed.Client(
            cluster.address, timeout=REACHED_WITHIN_S, security=security, set_as_default=False
        )
    except (OSError, TimeoutError, ValueError, TypeError) as error:
        raise ProjectError(
            f"The scheduler at {cluster.address} cannot be reached.", kept="Nothing was sent.",
            do="Check the address and that it runs, or measure on this machine.",
        ) from error  # fmt: skip
    with client:
        workers = sum(client.nthreads().values())
        if not workers:
            raise ProjectError(f"The scheduler at {cluster.address} has no worker.", do="Start one, then try again.")
        yield Engine(lambda: client.get_executor(pure=False), workers, sends=not cluster.shared)
