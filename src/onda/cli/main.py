"""The application: its commands, its log, and how errors reach the user."""

from __future__ import annotations

import logging
import os
import sys
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from typing import Annotated, Any, TextIO

import platformdirs
import typer

from onda import __version__
from onda.cli import ami, build, buses, coupling, lines, links, networks, paths, project, verify
from onda.cli.common import EXIT_BAD_INPUT
from onda.errors import OndaError

__all__ = ["app", "main"]

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    help="Check a board's high-speed interconnects before release.",
)
for _group in (project, build, lines, paths, coupling, networks, links, buses, ami, verify):
    _group.register(app)


@app.callback(invoke_without_command=True)
def _root(
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    if version:
        typer.echo(f"Onda {__version__}")
        raise typer.Exit


def _log_to_file() -> logging.Handler:
    """Log to the user's log folder; a folder that cannot be written to is no reason to stop."""
    folder = platformdirs.user_log_path("onda")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = RotatingFileHandler(
            folder / "onda.log", maxBytes=1_000_000, backupCount=2, encoding="utf-8"
        )
    except OSError:
        handler = logging.NullHandler()
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    root = logging.getLogger("onda")
    root.handlers = [handler]
    root.setLevel(logging.INFO)
    return handler


class _Answers:
    """Standard output whose reader may leave: that ends the command, and is no failure."""

    def __init__(self, out: TextIO) -> None:
        self._out = out

    def __getattr__(self, name: str) -> Any:
        return getattr(self._out, name)

    def write(self, text: str) -> int:
        """Write, as the stream does."""
        return int(self._guarded(lambda: self._out.write(text)))

    def flush(self) -> None:
        """Flush, as the stream does."""
        self._guarded(self._out.flush)

    def _guarded(self, act: Callable[[], Any]) -> Any:
        try:
            return act()
        except BrokenPipeError:
            # What is still in its buffer goes nowhere, without a word at the end.
            os.dup2(os.open(os.devnull, os.O_WRONLY), self._out.fileno())
            raise SystemExit(0) from None


def main() -> None:
    """Entry point: errors meant for the user go to stderr as one sentence, with exit code 2."""
    handler = _log_to_file()
    sys.stdout = _Answers(sys.stdout)
    try:
        app()
    except OndaError as error:
        logging.getLogger("onda").warning("%s", error)
        sys.stderr.write(f"onda: {error}\n")
        raise SystemExit(EXIT_BAD_INPUT) from None
    except OSError as error:
        logging.getLogger("onda").warning("%s", error)
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        sys.stderr.write(f"onda: the answer cannot be written: {error.strerror}\n")
        raise SystemExit(EXIT_BAD_INPUT) from None
    finally:
        logging.getLogger("onda").removeHandler(handler)
        handler.close()
