"""Walk through everything, write it down, compare."""

from __future__ import annotations

import argparse
import difflib
import json
import os
import sys
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from tests.walk.commands import command_answers
from tests.walk.views import walk_views


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("where", type=Path)
    parser.add_argument("--against", type=Path)
    parser.add_argument("--pictures", type=Path)
    parser.add_argument("--most", type=int, default=12, help="lines of difference an entry")
    args = parser.parse_args()
    began = time.monotonic()
    found = command_answers() | walk_views(args.pictures)
    args.where.write_text(json.dumps(found, indent=0, sort_keys=True, ensure_ascii=False) + "\n")
    print(f"{len(found)} entries in {time.monotonic() - began:.0f} s")
    return compare(json.loads(args.against.read_text()), found, args.most) if args.against else 0


def compare(before: dict[str, list[str]], now: dict[str, list[str]], most: int) -> int:
    """Print what differs; return how many entries do."""
    bad = 0
    for key in sorted(before.keys() | now.keys()):
        old, new = before.get(key), now.get(key)
        # Curves of one plot may have come in another order.
        if sorted(old or ()) == sorted(new or ()) and None not in (old, new):
            continue
        bad += 1
        if old is None or new is None:
            print(f"{'new' if old is None else 'GONE'}: {key}")
            continue
        lines = [
            x
            for x in difflib.unified_diff(old, new, lineterm="", n=0)
            if not x.startswith(("---", "+++", "@@"))
        ]
        print(f"differs: {key} ({len(lines)} lines)")
        for line in lines[:most]:
            print(f"    {line[:220]}")
    print(f"{bad} of {len(before.keys() | now.keys())} entries differ")
    return min(bad, 1)


if __name__ == "__main__":
    sys.exit(main())
