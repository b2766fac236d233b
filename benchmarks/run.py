"""Run all benchmarks and print them as the table of docs/benchmarks.md."""

from __future__ import annotations

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from benchmarks import buses, coupling, engine, links, networks, window


def main() -> None:
    print("| promise | promised | measured | floor | ratio to the floor |")
    print("| --- | ---: | ---: | --- | ---: |")
    groups = (
        engine.figures,
        coupling.figures,
        links.figures,
        networks.figures,
        buses.figures,
        window.figures,
    )
    # Each row as soon as its group is measured.
    for figure in (figure for measured in groups for figure in measured()):
        floor, ratio = "", ""
        if figure.floor_ms:
            floor = f"{figure.floor_ms:.1f} ms, {figure.floor_name}"
            ratio = f"{figure.measured_ms / figure.floor_ms:.1f}"
        held = "" if figure.measured_ms <= figure.promised_ms else " (missed)"
        print(
            f"| {figure.name} | {figure.promised_ms:.0f} ms | {figure.measured_ms:.1f} ms{held} "
            f"| {floor} | {ratio} |",
            flush=True,
        )


if __name__ == "__main__":
    main()
