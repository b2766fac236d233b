"""The tree of a parameter file: names, values and branches in parentheses."""

from __future__ import annotations

from dataclasses import dataclass

from onda.errors import InputError

__all__ = ["Branch", "parse_tree"]

_MOST_BYTES = 4_000_000
_DEEPEST = 60
_MOST_NODES = 200_000


@dataclass(frozen=True, slots=True)
class Branch:
    """A name with what stands behind it: words (with their quotes taken off) and branches."""

    name: str
    line: int
    items: tuple[str | Branch, ...]

    @property
    def words(self) -> tuple[str, ...]:
        """What is no branch."""
        return tuple(x for x in self.items if isinstance(x, str))

    @property
    def branches(self) -> tuple[Branch, ...]:
        """What is one."""
        return tuple(x for x in self.items if isinstance(x, Branch))

    def find(self, name: str) -> Branch | None:
        """The first branch of that name, in any case."""
        wanted = name.lower()
        return next((b for b in self.branches if b.name.lower() == wanted), None)


@dataclass(slots=True)
class _Token:
    text: str
    line: int
    quoted: bool = False


def _tokens(text: str, file: str) -> list[_Token]:
    out: list[_Token] = []
    line, at, end = 1, 0, len(text)
    while at < end:
        c = text[at]
        if c == "\n":
            line += 1
            at += 1
        elif c.isspace():
            at += 1
        elif c == "|":
            # A comment, to the end of its line.
            stop = text.find("\n", at)
            at = end if stop < 0 else stop
        elif c in "()":
            out.append(_Token(c, line))
            at += 1
        elif c == '"':
            stop = text.find('"', at + 1)
            if stop < 0:
                raise InputError("a quote that is not closed", file=file, line=line)
            out.append(_Token(text[at + 1 : stop], line, quoted=True))
            line += text.count("\n", at, stop)
            at = stop + 1
        else:
            stop = at
            while stop < end and not text[stop].isspace() and text[stop] not in '()"|':
                stop += 1
            out.append(_Token(text[at:stop], line))
            at = stop
        if len(out) > _MOST_NODES:
            raise InputError("is too long for a parameter file", file=file)
    return out


def parse_tree(data: bytes, file: str) -> Branch:
    """The root of a parameter file.

    Raises
    ------
    InputError : it is none, with its line
    """
    if len(data) > _MOST_BYTES:
        raise InputError("is too long for a parameter file", file=file)
    text = data.decode("utf-8", "replace")
    if "\0" in text:
        raise InputError("is no text", file=file, remedy="Give the .ami file of the model.")
    tokens = _tokens(text, file)
    root: Branch | None = None
    # What is open: name, line and items so far.
    stack: list[tuple[str, int, list[str | Branch]]] = []
    k = 0
    while k < len(tokens):
        token = tokens[k]
        plain = not token.quoted
        if plain and token.text == "(":
            k += 1
            name = tokens[k] if k < len(tokens) else None
            if name is None or (not name.quoted and name.text in "()"):
                raise InputError("a branch without a name", file=file, line=token.line)
            if root is not None:
                raise InputError("something behind the tree", file=file, line=token.line)
            if len(stack) >= _DEEPEST:
                raise InputError("branches too deep within each other", file=file, line=token.line)
            stack.append((name.text, name.line, []))
        elif plain and token.text == ")":
            if not stack:
                raise InputError("a parenthesis too many", file=file, line=token.line)
            title, line, items = stack.pop()
            made = Branch(title, line, tuple(items))
            if stack:
                stack[-1][2].append(made)
            else:
                root = made
        elif not stack:
            raise InputError(
                f"{token.text[:30]!r} stands outside of all parentheses",
                file=file,
                line=token.line,
                remedy="Give the .ami file of the model.",
            )
        else:
            stack[-1][2].append(token.text)
        k += 1
    if stack:
        raise InputError(f"({stack[-1][0]} is not closed", file=file, line=stack[-1][1])
    if root is None:
        raise InputError("holds nothing", file=file, remedy="Give the .ami file of the model.")
    return root
