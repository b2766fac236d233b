"""Where studies run: here, in threads, in processes, or on a cluster that the user names.

All are executors of `concurrent.futures`; the runner knows nothing else about them.
"""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

from onda.errors import InputError

__all__ = ["ImmediateExecutor", "Place", "cluster", "here", "processes", "threads"]


class ImmediateExecutor(Executor):
    """Runs at once, in the calling thread."""

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        """Run now and return a finished future."""
        future: Future[Any] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:  # noqa: BLE001 - a future carries any error to its reader
            future.set_exception(error)
        return future


def _shut_down(executor: Executor) -> None:
    executor.shutdown(wait=True, cancel_futures=True)


@dataclass(frozen=True, slots=True)
class Place:
    """An executor and what the runner must know of it.

    Attributes
    ----------
    open : makes the executor, again after its workers were lost
    close : ends its workers; what has not begun does not begin
    shares_memory : progress, cancelling and the cache reach into a run
    """

    name: str
    open: Callable[[], Executor]
    shares_memory: bool
    close: Callable[[Executor], None] = _shut_down


def here() -> Place:
    """In the calling thread."""
    return Place("here", ImmediateExecutor, shares_memory=True)


def threads(count: int | None = None) -> Place:
    """In threads: kernels give the interpreter free, so that all cores are used."""
    workers = count or os.cpu_count() or 1

    def make() -> Executor:
        return ThreadPoolExecutor(max_workers=workers, thread_name_prefix="onda-study")

    return Place("threads", make, shares_memory=True)


def processes(count: int) -> Place:
    """In so many processes of this machine.

    Raises
    ------
    InputError : not a count
    """
    if not 1 <= count <= 256:
        raise InputError(f"{count} processes cannot be started", remedy="Choose 1 to 256.")

    def make() -> Executor:
        # Not forked: the parent may have threads and a window.
        context = multiprocessing.get_context("spawn")
        return ProcessPoolExecutor(max_workers=count, mp_context=context)

    return Place("processes", make, shares_memory=False)


def cluster(address: str) -> Place:
    """On the workers of a `dask.distributed` scheduler.

    Raises
    ------
    InputError : the extra is not installed, or no scheduler answers there
    """

    def make() -> Executor:
        try:
            from distributed import Client
        except ImportError as error:
            raise InputError(
                "a scheduler needs the extra onda[cluster]",
                remedy="Install it: pip install 'onda[cluster]'.",
            ) from error
        try:
            client: Any = Client(  # type: ignore[no-untyped-call]
                address, timeout="3s", set_as_default=False
            )
        except (OSError, ValueError, TimeoutError) as error:
            raise InputError(
                f"no scheduler answers at {address!r} ({error})",
                remedy="Start one with dask scheduler and dask worker, and name its address.",
            ) from error
        # Every case is its own task even where two have the same name.
        executor: Executor = client.get_executor(pure=False, retries=2)
        return executor

    def close(executor: Executor) -> None:
        executor.shutdown(wait=False)
        executor._client.close()  # type: ignore[attr-defined]

    return Place("cluster", make, shares_memory=False, close=close)
