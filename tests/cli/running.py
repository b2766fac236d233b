"""Runs a command as somebody in a shell does."""

from __future__ import annotations

from typer.testing import CliRunner

from onda.cli.main import app

__all__ = ["run"]


def run(*arguments: str) -> tuple[int, str]:
    """Exit code and what was printed; raises what the command raised."""
    done = CliRunner().invoke(app, list(arguments))
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return done.exit_code, done.stdout
