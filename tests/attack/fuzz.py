"""Sends spoilt inputs to a reader: ``python -m tests.attack.fuzz NAME --count N --seed S``.

Each input ends in a result or in one of our errors, within 2 s and 2 s for each 10 MB, in no more
memory than 8 times its size and 200 MB. Whatever else happens is a finding, told with the number
of its input: with the same seed it is the same one.
"""

from __future__ import annotations

import argparse
import json
import multiprocessing
import os
import random
import re
import resource
import signal
import sys
import time
import traceback
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from onda.errors import OndaError
from onda.project.quantities import parse_quantity
from tests.attack.targets import TARGETS, Target

__all__ = ["attack", "attack_contained"]

_SECONDS, _PER_BYTE = 2.0, 2.0 / 1e7
_ASLEEP = 60.0
_ALIVE = 2.5
"""How long a process of its own may be silent before it is given up."""
_ROOM, _TIMES = 200 * 2**20, 8


class _TooLong(BaseException):
    """No answer in time."""


def _alarm(*_: object) -> None:
    raise _TooLong


def _cap_memory(size: int) -> None:
    with open("/proc/self/statm", encoding="ascii") as about:
        now = int(about.read().split()[0]) * resource.getpagesize()
    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    resource.setrlimit(resource.RLIMIT_AS, (now + _ROOM + _TIMES * size, hard))


def attack(
    target: Target,
    first: int,
    count: int,
    seed: int,
    *,
    capped: bool,
    begins: Callable[[int, dict[str, Any]], None] = lambda *_: None,
) -> dict[str, Any]:
    """Counts and findings of inputs number `first` on.

    Parameters
    ----------
    capped : memory is limited, of which the whole process must know
    begins : called with the number of each input and what was found before it
    """
    samples = target.samples()
    with suppress(OndaError):
        # Loads what knows rare units; cut off in the middle it would stay half loaded.
        parse_quantity("1 furlong", "length")
    for sample in samples:
        # What is loaded and compiled at the first time is no part of it; a sample may be meant for
        # another of the readers of this kind.
        with suppress(OndaError):
            target.read(sample)
    accepted = 0
    refused: Counter[str] = Counter()
    findings: list[str] = []
    slowest = 0.0

    def so_far() -> dict[str, Any]:
        return {
            "target": target.name,
            "count": count,
            "accepted": accepted,
            "refused": sum(refused.values()),
            "sentences": len(refused),
            "slowest_s": slowest,
            "findings": findings,
        }

    before = [signal.signal(s, _alarm) for s in (signal.SIGPROF, signal.SIGALRM)]
    try:
        for number in range(first, first + count):
            rng = random.Random(f"{seed} {target.name} {number}")
            data = target.make(rng, samples)
            begins(number, so_far())
            if capped:
                _cap_memory(len(data))
            began = time.process_time()
            try:
                # Of the processor's time, so that other work on the machine is not blamed on it;
                # what sleeps for ever is noticed as well.
                signal.setitimer(signal.ITIMER_PROF, _SECONDS + _PER_BYTE * len(data))
                signal.setitimer(signal.ITIMER_REAL, _ASLEEP)
                target.read(data)
                accepted += 1
            except OndaError as error:
                refused[re.sub(r"[\d.]+|'[^']*'", "#", str(error))[-60:]] += 1
            except _TooLong:
                findings.append(f"{number}: too long, {len(data)} bytes")
            except MemoryError:
                findings.append(f"{number}: too much memory, {len(data)} bytes")
            except BaseException as error:  # noqa: BLE001 - every kind is what is looked for
                where = traceback.extract_tb(error.__traceback__)[-1]
                at = f"{os.path.basename(where.filename)}:{where.lineno}"
                findings.append(f"{number}: {type(error).__name__} at {at}: {str(error)[:100]}")
            finally:
                signal.setitimer(signal.ITIMER_PROF, 0.0)
                signal.setitimer(signal.ITIMER_REAL, 0.0)
            slowest = max(slowest, time.process_time() - began)
    finally:
        for number, handler in zip((signal.SIGPROF, signal.SIGALRM), before, strict=True):
            signal.signal(number, handler)
    return so_far()


def attack_contained(target: Target, first: int, count: int, seed: int) -> dict[str, Any]:
    """The same in processes that may be lost: one that crashes or hangs is counted, and the next
    one goes on behind it."""
    lost: list[str] = []
    parts: list[dict[str, Any]] = []
    at, last = first, first + count
    while at < last:
        receive, send = multiprocessing.Pipe(duplex=False)
        child = multiprocessing.Process(target=_part, args=(target.name, at, last - at, seed, send))
        child.start()
        send.close()
        seen, answer = at, {}
        while seen < last:
            try:
                if not receive.poll(_ALIVE):
                    break
                seen, answer = receive.recv()
            except EOFError:
                break
        child.kill()
        child.join()
        if answer:
            parts.append(answer)
        if seen < last:
            lost.append(f"{seen}: its process was lost")
        at = seen + 1
    return {
        "target": target.name,
        "count": count,
        "accepted": sum(p["accepted"] for p in parts),
        "refused": sum(p["refused"] for p in parts) + len(lost),
        "sentences": max((p["sentences"] for p in parts), default=0),
        "slowest_s": max((p["slowest_s"] for p in parts), default=0.0),
        "findings": [f for p in parts for f in p["findings"]],
        "contained": len(lost),
    }


def _part(name: str, first: int, count: int, seed: int, send: Any) -> None:
    sys.stderr = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115
    told = attack(
        TARGETS[name], first, count, seed, capped=True, begins=lambda *now: send.send(now)
    )
    send.send((first + count, told))


def main() -> int:
    """0 where nothing was found."""
    parser = argparse.ArgumentParser()
    parser.add_argument("target", choices=sorted(TARGETS))
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--count", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    target = TARGETS[given.target]
    if target.contained:
        found = attack_contained(target, given.first, given.count, given.seed)
    else:
        found = attack(target, given.first, given.count, given.seed, capped=True)
    sys.stdout.write(json.dumps(found) + "\n")
    return 1 if found["findings"] else 0


if __name__ == "__main__":
    sys.exit(main())
