"""Executors of work over parts: threads of this process, or a cluster; any executor of futures will do."""

from __future__ import annotations

import logging
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import CancelledError, Executor, Future, ThreadPoolExecutor, as_completed
from contextlib import contextmanager
from typing import Any, Final, TypeVar

from milepost.errors import UsageError, WorkError
from milepost.logs.sources.remote import first_line
from milepost.progress import SILENT, Progress

R = TypeVar("R")
_RETRIES: Final = 3  # how often a part is begun anew after a cluster's worker was lost
_WAIT: Final = 30  # seconds for a cluster's first worker to come
_PATIENCE: Final = 5  # seconds for a cluster's scheduler to answer


class InProcess(Executor):
    """Runs everything at once and right here."""

    def submit(self, fn: Callable[..., R], /, *args: object, **kwargs: object) -> Future[R]:
        """Run it; its error, if it has one, is the future's."""
        future: Future[R] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:
            future.set_exception(error)
        return future


class Workers:
    """The workers.

    Attributes:
        executor: what they are to the library: threads, a cluster, or this very thread.
    """

    def __init__(self, executor: Executor) -> None:
        self.executor = executor

    def map(self, work: Callable[..., R], inputs: list[tuple[object, ...]], progress: Progress) -> list[R]:
        """The results of some work on each of the inputs; after an error, what has not begun is not begun."""
        done: dict[int, R] = {}
        waiting: dict[Future[R], int] = {}
        try:
            for number, given in enumerate(inputs):
                future = self.executor.submit(work, *given)
                waiting[future] = number
                if future.done():
                    done[waiting.pop(future)] = future.result()
                    progress.advance(1)
            for future in as_completed(list(waiting)):
                done[waiting.pop(future)] = future.result()
                progress.advance(1)
        finally:
            for future in waiting:
                future.cancel()
        return [done[number] for number in range(len(inputs))]

    def run_each(self, work: Callable[..., R], inputs: list[tuple[object, ...]], progress: Progress) -> Iterator[R]:
        """Yield the results one by one, in the order of the inputs, so that none has to be kept."""
        waiting = deque[Future[R]]()
        try:
            for given in inputs:
                waiting.append(self.executor.submit(work, *given))
                while waiting and waiting[0].done():
                    yield _done(waiting.popleft(), progress)
            while waiting:
                yield _done(waiting.popleft(), progress)
        finally:
            for future in waiting:
                future.cancel()


def _done(future: Future[R], progress: Progress) -> R:
    result = future.result()
    progress.advance(1)
    return result


@contextmanager
def workers(jobs: int, cluster: str | None, progress: Progress = SILENT) -> Iterator[Workers]:
    """Yield the workers that are asked for.

    Args:
        jobs: threads of this process.
        cluster: the address of a cluster's scheduler, which then does the work instead.
        progress: told of waiting.

    Raises:
        UsageError: the extra for clusters is not installed.
        WorkError: no scheduler answers there, or it has no workers.
    """
    if cluster is None and jobs == 1:
        yield Workers(InProcess())
    elif cluster is None:
        with ThreadPoolExecutor(jobs) as threads:
            yield Workers(threads)
    else:
        with _cluster(cluster, progress) as over:
            yield over


@contextmanager
def _cluster(cluster: str, progress: Progress) -> Iterator[Workers]:
    try:
        import distributed
        from distributed.comm.core import CommClosedError
    except ImportError:
        raise UsageError("--cluster needs the extra for clusters: pip install 'milepost[cluster]'.") from None
    logging.getLogger("distributed").setLevel(logging.CRITICAL)  # what goes wrong is said here, in a line
    _require_address(cluster)
    try:
        client: Any = distributed.Client(cluster, timeout=_PATIENCE, set_as_default=False)  # type: ignore[no-untyped-call]
    except Exception as error:  # addresses can be wrong in many ways
        reason = first_line(error)
        raise WorkError(f"{cluster}: no scheduler answers there ({reason}). Start one, or mend the address.") from None
    try:
        progress.step(f"waiting up to {_WAIT} s for workers")
        client.wait_for_workers(1, timeout=_WAIT)
    except TimeoutError:
        client.close()
        raise WorkError(f"{cluster}: the scheduler has had no workers for {_WAIT} s. Start some, and ask again.") from None
    try:
        with client:
            yield Workers(client.get_executor(retries=_RETRIES))
    except (distributed.KilledWorker, CommClosedError, CancelledError, ImportError) as error:
        reason = first_line(error)
        raise WorkError(
            f"{cluster}: the work broke off there ({reason}). Do its workers have this version of Mile Post?"
        ) from None


def _require_address(cluster: str) -> None:
    """Refuse what is no address; a client that is begun with it keeps waiting.

    Raises:
        WorkError: it is none.
    """
    from distributed.comm.addressing import parse_address, parse_host_port
    from distributed.comm.registry import get_backend

    try:
        scheme, place = parse_address(cluster)
        get_backend(scheme)
        host, port = parse_host_port(place)
        if not 0 < int(port) < 1 << 16 or not host:
            raise ValueError("its port is none")
    except Exception as error:
        reason = first_line(error)
        raise WorkError(f"{cluster}: is no address of a scheduler ({reason}). Write one such as tcp://host:8786.") from None
