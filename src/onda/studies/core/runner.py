"""Run studies: from the cache where nothing changed, else on an executor; progress and cancel."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor, Future
from threading import Event
from typing import Any, Generic, TypeVar, cast

from onda.errors import Cancelled
from onda.studies.core.cache import ResultCache
from onda.studies.core.study import Control, Study, key_of

__all__ = ["ImmediateExecutor", "Job", "StudyRunner"]

Inputs = TypeVar("Inputs")
Result = TypeVar("Result")
Progress = Callable[[float], None]


class _JobControl(Control):
    def __init__(self, stopped: Event, tell: Progress | None) -> None:
        self._stopped = stopped
        self._tell = tell

    def progress(self, share: float) -> None:
        if self._stopped.is_set():
            raise Cancelled
        if self._tell is not None:
            self._tell(share)


class Job(Generic[Result]):
    """A submitted run."""

    def __init__(self, key: str, future: Future[Result], stopped: Event) -> None:
        self.key = key
        self.future = future
        self._stopped = stopped

    def cancel(self) -> None:
        """Stop the run at its next report of progress, or before it starts."""
        self._stopped.set()
        self.future.cancel()


class ImmediateExecutor(Executor):
    """Runs at once, in the calling thread: for the command line and for tests."""

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        """Run now and return a finished future."""
        future: Future[Any] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:  # noqa: BLE001 - a future carries any error to its reader
            future.set_exception(error)
        return future


class StudyRunner:
    """Runs studies on any executor of `concurrent.futures` shape that shares memory."""

    def __init__(self, executor: Executor, cache: ResultCache) -> None:
        self._executor = executor
        self.cache = cache

    def submit(
        self,
        study: Study[Inputs, Result],
        inputs: Inputs,
        *,
        progress: Progress | None = None,
    ) -> Job[Result]:
        """Start a run; its future carries the result or the error."""
        stopped = Event()
        key = key_of(study.name, inputs)
        control = _JobControl(stopped, progress)
        future = self._executor.submit(self._run, study, inputs, key, control)
        return Job(key, future, stopped)

    def cached(self, study: Study[Inputs, Result], inputs: Inputs) -> Result | None:
        """The result if it is known already, without running anything."""
        return cast("Result | None", self.cache.get(key_of(study.name, inputs), study.result_types))

    def result(self, study: Study[Inputs, Result], inputs: Inputs) -> Result:
        """The result, computed here and now where it is not known."""
        return self._run(study, inputs, key_of(study.name, inputs), Control())

    def _run(
        self, study: Study[Inputs, Result], inputs: Inputs, key: str, control: Control
    ) -> Result:
        control.progress(0.0)
        known = self.cache.get(key, study.result_types)
        if known is not None:
            return cast("Result", known)
        result = study.run(inputs, control)
        self.cache.put(key, result, on_disk=study.keep_on_disk)
        return result
