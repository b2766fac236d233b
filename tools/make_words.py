"""Write docs/guide/words.md from the texts that the window explains itself with."""

from __future__ import annotations

from pathlib import Path

from onda.app.kit.explain import help_table
from onda.project.measures import MEASURES

_TITLES = {
    "everywhere": "Everywhere", "stackup": "Stackup", "lines": "Lines", "paths": "Paths",
    "coupling": "Coupling", "networks": "Networks", "eyes": "Eyes",
    "buses": "Buses",
    "measures": "Measures that can be limited",
}  # fmt: skip


def words_page() -> str:
    """The page."""
    out = [
        "# Words",
        "",
        "What every field, view and number means. The window says the same where the pointer",
        "rests, and with `F1` on the field in focus.",
    ]
    for key, section in help_table().items():
        out += ["", f"## {_TITLES[key]}", ""]
        views = section.get("views", {})
        for title, text in section.items():
            if title == "views":
                continue
            name = MEASURES[title].title if key == "measures" else title
            out.append(f"- **{name}**: {text}")
        if views:
            out += ["", "Views:", ""]
            out += [f"- **{title}**: {text}" for title, text in views.items()]
    return "\n".join(out) + "\n"


if __name__ == "__main__":
    Path("docs/guide/words.md").write_text(words_page(), encoding="utf-8")
