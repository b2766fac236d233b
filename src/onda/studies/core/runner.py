"""Run studies: from the cache where nothing changed, else on an executor; progress and cancel.

One runner serves the window, the command line and the report. A study made of cases is split here:
each case is looked up, run and kept by itself, and the gathered result is kept as well.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import BrokenExecutor, Executor, Future, as_completed
from threading import Event, Lock
from typing import Any, Generic, TypeVar, cast

from onda.errors import Cancelled, OndaError
from onda.studies.core.cache import ResultCache
from onda.studies.core.evidence import Evidence, evidence_now
from onda.studies.core.executors import Place
from onda.studies.core.judge import Need
from onda.studies.core.keys import key_of
from onda.studies.core.study import Case, Control, Study, compute

__all__ = ["Job", "StudyRunner"]

Inputs = TypeVar("Inputs")
Result = TypeVar("Result")
Progress = Callable[[float], None]
Partial = Callable[[Any], None]
_TRIES = 3
"""How often a run is begun again whose worker was lost."""


class _JobControl(Control):
    def __init__(
        self, stopped: Event, tell: Progress | None = None, show: Partial | None = None
    ) -> None:
        self._stopped, self._tell, self._show = stopped, tell, show

    def progress(self, share: float) -> None:
        if self._stopped.is_set():
            raise Cancelled
        if self._tell is not None:
            self._tell(share)

    def partial(self, result: object) -> None:
        if self._stopped.is_set():
            raise Cancelled
        if self._show is not None:
            self._show(result)

    @property
    def quiet(self) -> _JobControl:
        """The same run's control, for a part of it that tells nothing."""
        return _JobControl(self._stopped)

    def stop(self) -> None:
        """Nothing of this run is wanted any more."""
        self._stopped.set()


class Job(Generic[Result]):
    """A submitted run."""

    def __init__(self, key: str, future: Future[Result], stopped: Event) -> None:
        self.key = key
        self.future = future
        self._stopped = stopped
        self._parts: tuple[Future[Any], ...] = ()

    def cancel(self) -> None:
        """Stop the run at its next report of progress, or before it starts."""
        self._stopped.set()
        for part in self._parts:
            part.cancel()
        self.future.cancel()

    def consists_of(self, parts: Iterable[Future[Any]]) -> None:
        """Runs that are cancelled with this one."""
        self._parts = tuple(parts)


def run_away(study: Study[Any, Any], inputs: Any) -> Any:
    """A run in another process: nothing but its inputs goes there, nothing but its result back."""
    return compute(study, inputs, Control())


class StudyRunner:
    """Runs studies at a place."""

    def __init__(self, place: Place, cache: ResultCache) -> None:
        self._place = place
        self._executor: Executor | None = None
        self._closed = False
        self._lock = Lock()
        self.cache = cache

    @property
    def executor(self) -> Executor:
        """The executor, opened on first need; raise `Cancelled` once the runner is closed."""
        with self._lock:
            if self._closed:
                raise Cancelled
            if self._executor is None:
                self._executor = self._place.open()
            return self._executor

    def close(self) -> None:
        """End the workers for good; runs that have not begun do not begin."""
        with self._lock:
            # A study that is just being split would open new ones.
            self._closed = True
            executor, self._executor = self._executor, None
        if executor is not None:
            self._place.close(executor)

    def _renew(self, broken: Executor) -> None:
        """Put new workers in the place of lost ones."""
        with self._lock:
            if self._executor is broken:
                self._executor = None
                broken.shutdown(wait=False, cancel_futures=True)

    # ---- one study

    def submit(
        self,
        study: Study[Inputs, Result],
        inputs: Inputs,
        *,
        key: str = "",
        first: Inputs | None = None,
        progress: Progress | None = None,
        partial: Partial | None = None,
    ) -> Job[Result]:
        """Start a run; its future carries the result or the error.

        Parameters
        ----------
        key : of these inputs, where it was worked out already
        first : inputs of a quicker run whose result is handed on as a partial one, unless the
            wanted result is known
        progress : told the share done; partial : told results that are not complete yet
        """
        stopped = Event()
        key = key or key_of(study.name, inputs)
        control = _JobControl(stopped, progress, partial)
        if study.split is not None and study.gather is not None:
            return self._submit_cases(study, inputs, key, control, stopped)
        if not self._place.shares_memory:
            return Job(key, self._submit_away(study, inputs, key), stopped)
        future = self.executor.submit(self._run, study, inputs, key, control, first)
        return Job(key, future, stopped)

    def cached(self, study: Study[Inputs, Result], inputs: Inputs) -> Result | None:
        """The result if it is known already, without running anything."""
        return cast("Result | None", self._known(study, key_of(study.name, inputs)))

    def result(self, study: Study[Inputs, Result], inputs: Inputs) -> Result:
        """The result, waited for where it is not known."""
        return self.submit(study, inputs).future.result()

    def evidence_of(self, key: str) -> Evidence | None:
        """How the result under a key came about, where it is at hand."""
        return self.cache.evidence_of(key)

    def _known(self, study: Study[Any, Any], key: str) -> object | None:
        if not study.keep_on_disk:
            return self.cache.get_from_memory(key)
        return self.cache.get(key, study.result_types)

    def _keep(self, study: Study[Any, Any], key: str, result: object) -> None:
        self.cache.put(
            key, result, on_disk=study.keep_on_disk, evidence=evidence_now(key, study.name)
        )

    def _run(
        self,
        study: Study[Inputs, Result],
        inputs: Inputs,
        key: str,
        control: _JobControl,
        first: Inputs | None = None,
    ) -> Result:
        control.progress(0.0)
        known = self._known(study, key)
        if known is not None:
            return cast("Result", known)
        if first is not None:
            key_first = key_of(study.name, first)
            control.partial(self._run(study, first, key_first, control.quiet))
        result = study.run(inputs, control)
        self._keep(study, key, result)
        return result

    # ---- in another process

    def _submit_away(self, study: Study[Any, Any], inputs: Any, key: str) -> Future[Any]:
        """Run elsewhere; a lost worker costs its run only, which is begun again."""
        outer: Future[Any] = Future()
        known = self._known(study, key)
        if known is not None:
            outer.set_result(known)
            return outer
        self._try_away(study, inputs, key, outer, 1)
        return outer

    def _try_away(
        self, study: Study[Any, Any], inputs: Any, key: str, outer: Future[Any], attempt: int
    ) -> None:
        executor = self.executor
        try:
            inner = executor.submit(run_away, study, inputs)
        except BrokenExecutor:
            self._again(executor, study, inputs, key, outer, attempt)
            return

        def done(future: Future[Any]) -> None:
            if outer.cancelled():
                return
            if future.cancelled():
                outer.cancel()
                return
            error = future.exception()
            if isinstance(error, BrokenExecutor):
                self._again(executor, study, inputs, key, outer, attempt)
            elif error is not None:
                outer.set_exception(error)
            else:
                self._keep(study, key, future.result())
                outer.set_result(future.result())

        inner.add_done_callback(done)

    def _again(
        self,
        broken: Executor,
        study: Study[Any, Any],
        inputs: Any,
        key: str,
        outer: Future[Any],
        attempt: int,
    ) -> None:
        self._renew(broken)
        if attempt < _TRIES:
            self._try_away(study, inputs, key, outer, attempt + 1)
        else:
            outer.set_exception(OndaError(f"{study.name}: its worker was lost {attempt} times"))

    # ---- studies made of cases

    def _submit_cases(
        self,
        study: Study[Any, Any],
        inputs: Any,
        key: str,
        control: _JobControl,
        stopped: Event,
    ) -> Job[Any]:
        outer: Future[Any] = Future()
        job: Job[Any] = Job(key, outer, stopped)
        gathering = _Gathering(self, study, inputs, key, control, outer)
        if self._place.shares_memory:
            # Looking on disk and splitting take their time; waiting for nothing, they hold up
            # nothing.
            self.executor.submit(lambda: job.consists_of(gathering.start()))
        else:
            job.consists_of(gathering.start())
        return job

    # ---- many studies

    def all_of(self, needs: Iterable[Need]) -> Iterator[tuple[str, object]]:
        """Run what is not known yet; yield (key, result or the `OndaError`) as each is done."""
        waiting: dict[Future[Any], str] = {}
        for need in needs:
            waiting[self.submit(need.study, need.inputs, key=need.key).future] = need.key
        try:
            for future in as_completed(waiting):
                try:
                    yield waiting[future], future.result()
                except OndaError as error:
                    yield waiting[future], error
        finally:
            for future in waiting:
                future.cancel()


class _Gathering:
    """Waits for the cases of a study and puts them together."""

    def __init__(
        self,
        runner: StudyRunner,
        study: Study[Any, Any],
        inputs: Any,
        key: str,
        control: _JobControl,
        outer: Future[Any],
    ) -> None:
        self._runner, self._study, self._inputs = runner, study, inputs
        self._key, self._control, self._outer = key, control, outer
        self._cases: Sequence[Case] = ()
        self._results: list[Any] = []
        self._left = 0
        self._lock = Lock()

    def _split(self) -> None:
        assert self._study.split is not None
        self._cases = self._study.split(self._inputs)
        self._results = [None] * len(self._cases)
        self._left = len(self._cases)

    def start(self) -> list[Future[Any]]:
        """Submit every case."""
        futures: list[Future[Any]] = []
        if not self._outer.set_running_or_notify_cancel():
            return futures
        known = self._runner._known(self._study, self._key)
        if known is not None:
            self._outer.set_result(known)
            return futures
        try:
            self._split()
        except OndaError as error:
            self._fail(error)
            return futures
        try:
            self._submit_each(futures)
        except Cancelled as stopped:
            for future in futures:
                future.cancel()
            self._fail(stopped)
            return futures
        if not futures:
            self._finish()
        return futures

    def _submit_each(self, futures: list[Future[Any]]) -> None:
        """Submit every case; raise `Cancelled` where that is not wanted any more."""
        for k, case in enumerate(self._cases):
            self._control.quiet.progress(0.0)
            key = key_of(case.study.name, case.inputs)
            if self._runner._place.shares_memory:
                future = self._runner.executor.submit(
                    self._runner._run, case.study, case.inputs, key, self._control.quiet
                )
            else:
                future = self._runner._submit_away(case.study, case.inputs, key)
            future.add_done_callback(lambda f, k=k: self._one_done(k, f))  # type: ignore[misc]
            futures.append(future)

    def _one_done(self, k: int, future: Future[Any]) -> None:
        if self._outer.done():
            return
        error = None if future.cancelled() else future.exception()
        with self._lock:
            if future.cancelled() or error is not None:
                # One case that fails fails the whole; what is half done leaves nothing.
                self._fail(error or Cancelled())
                return
            self._results[k] = future.result()
            self._left -= 1
            done = len(self._cases) - self._left
        try:
            self._control.progress(done / len(self._cases))
        except Cancelled as stopped:
            self._fail(stopped)
            return
        if self._left == 0:
            self._finish()

    def _fail(self, error: BaseException) -> None:
        self._control.stop()
        if not self._outer.done():
            self._outer.set_exception(error)

    def _finish(self) -> None:
        assert self._study.gather is not None
        try:
            result = self._study.gather(self._inputs, self._results)
        except OndaError as error:
            self._fail(error)
            return
        self._runner._keep(self._study, self._key, result)
        self._outer.set_result(result)
