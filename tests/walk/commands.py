"""What every command answers, and what the report holds."""

from __future__ import annotations

import json
import re
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from lxml import html
from typer.testing import CliRunner

from onda.cli.main import app
from tests.shown import summary

COMMANDS = (
    ("check", "FILE", "--json"),
    ("check", "FILE"),
    ("check", "FILE", "--only", "paths", "--json"),
    ("build", "FILE", "--json"),
    ("build", "FILE", "--fit", "--json"),
    ("build", "FILE"),
    ("line", "FILE", "converter-pairs", "--json"),
    ("line", "FILE", "clock", "--json", "--tolerance", "50"),
    ("line", "FILE", "clock"),
    ("modes", "FILE", "cavity", "--json"),
    ("materials", "low-loss", "--json"),
    ("path", "FILE", "--json"),
    ("path", "FILE"),
    ("path", "FILE", "--path", "trig", "--json"),
    ("path", "FILE", "--path", "clk-two", "--why", "--json"),
    ("path", "FILE", "--path", "clk-adc", "--sweep", "Rs=0..60ohm", "--json"),
    ("path", "FILE", "--path", "clk-adc", "--sweep", "Rs=0..60ohm"),
    ("path", "FILE", "--path", "nothing"),
    ("verify", "--json"),
    ("verify",),
)


def command_answers() -> dict[str, list[str]]:
    """Answer of every command by its words."""
    runner = CliRunner()
    out: dict[str, list[str]] = {}
    with TemporaryDirectory() as name:
        folder = Path(name)
        file = folder / "demo" / "fulmar.onda"
        made = runner.invoke(app, ["demo", "--headless", "--report", str(file.parent)])
        out["command: demo"] = _plain(made.output, folder)
        out["command: report"] = _report(file.parent / "index.html")
        devices = sorted(p.name for p in file.parent.rglob("*.ibs"))
        networks = sorted(p.name for p in file.parent.rglob("*.s*p"))
        extra = [("device", str(next(file.parent.rglob(d))), "--json") for d in devices]
        extra += [("network", str(next(file.parent.rglob(d))), "--json") for d in networks]
        for words in (*COMMANDS, *extra):
            called = [str(file) if w == "FILE" else w for w in words]
            answer = runner.invoke(app, called)
            key = "command: " + _cleaned(" ".join(called), folder)
            lines = _plain(answer.output, folder)
            if answer.exception is not None and not isinstance(answer.exception, SystemExit):
                lines.append(
                    _cleaned(f"{type(answer.exception).__name__}: {answer.exception}", folder)
                )
            out[key] = [f"exit {answer.exit_code}", *lines]
    return out


def _cleaned(text: str, folder: Path) -> str:
    text = text.replace(str(folder), "FOLDER")
    return re.sub(r'"evidence": "[0-9a-f]*"', '"evidence": ""', text)


def _plain(output: str, folder: Path) -> list[str]:
    text = _cleaned(output, folder)
    try:
        return _flat(json.loads(text), "")
    except ValueError:
        return [line.rstrip() for line in text.splitlines()]


def _flat(value: Any, at: str) -> list[str]:
    """A JSON value as lines; lists of numbers as a summary, times of a run left out."""
    if isinstance(value, dict):
        return [x for k in sorted(value) if k != "seconds" for x in _flat(value[k], f"{at}.{k}")]
    if isinstance(value, list):
        if value and all(isinstance(v, (int, float)) for v in value):
            return [f"{at} = {summary(value)}"]
        return [x for i, v in enumerate(value) for x in _flat(v, f"{at}[{i}]")]
    if isinstance(value, float):
        return [f"{at} = {value:.6g}"]
    return [f"{at} = {value}"]


def _report(page: Path) -> list[str]:
    tree = html.fromstring(page.read_text(encoding="utf-8"))
    words = [" ".join(t.split()) for t in tree.xpath("//body//text()")]
    pictures = [f"picture {src}" for src in tree.xpath("//img/@src")]
    return [re.sub(r"\d{4}-\d\d-\d\d \d\d:\d\d UTC", "WHEN", w) for w in words if w] + pictures
