"""The Touchstone reader against files whose networks are known, and files that are wrong."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from onda.errors import InputError
from onda.formats.touchstone.reader import read_touchstone

TWO = np.array([[[0.1 + 0.2j, 0.3 - 0.1j], [0.5 + 0.4j, -0.2j]], [[0.2, 0.1j], [0.6, 0.3 + 0.1j]]])


def write(form: str, order: str) -> str:
    """A two-port in one dialect."""
    out = []
    for f, m in zip((1.0, 2.0), TWO, strict=True):
        entries = m.T.ravel() if order == "21_12" else m.ravel()
        numbers = []
        for v in entries:
            if form == "RI":
                numbers += [v.real, v.imag]
            else:
                size = abs(v) if form == "MA" else 20 * np.log10(abs(v))
                numbers += [size, np.degrees(np.angle(v))]
        out.append(" ".join(f"{x:.12g}" for x in (f, *numbers)))
    return "\n".join(out) + "\n"


@pytest.mark.parametrize("form", ["RI", "MA", "DB"])
def test_every_form_gives_the_same_network(form: str) -> None:
    text = f"! made here\n# MHz S {form} R 75\n" + write(form, "21_12")
    file = read_touchstone(text.encode(), "x.s2p")
    assert file.data == pytest.approx(TWO, abs=1e-9)
    assert file.frequency == pytest.approx([1e6, 2e6])
    assert file.reference == pytest.approx([75.0, 75.0])
    assert file.comments == ("made here",)


@pytest.mark.parametrize("order", ["21_12", "12_21"])
def test_version_2_states_its_order(order: str) -> None:
    head = "[Version] 2.0\n# GHz S RI R 50\n[Number of Ports] 2\n"
    head += f"[Two-Port Data Order] {order}\n[Number of Frequencies] 2\n[Reference] 40 60\n"
    text = head + "[Network Data]\n" + write("RI", order) + "[End]\n"
    file = read_touchstone(text.encode(), "x.ts")
    assert file.data == pytest.approx(TWO, abs=1e-9)
    assert file.reference == pytest.approx([40.0, 60.0])
    broken = text.replace(f"[Two-Port Data Order] {order}\n", "")
    with pytest.raises(InputError, match="Two-Port Data Order"):
        read_touchstone(broken.encode(), "x.ts")


def test_three_ports_wrapped_and_triangular() -> None:
    rows = "1 11 0 12 0 13 0\n 21 0 22 0 23 0\n 31 0 32 0 33 0\n"
    file = read_touchstone(f"# HZ S RI\n{rows}".encode(), "x.s3p")
    assert file.data[0].real == pytest.approx(
        np.array([[11, 12, 13], [21, 22, 23], [31, 32, 33]], float)
    )
    head = "[Version] 2.1\n# Hz Z RI R 50\n[Number of Ports] 3\n[Matrix Format] Lower\n"
    text = head + "[Network Data]\n1 11 0 21 0 22 0 31 0 32 0 33 0\n"
    lower = read_touchstone(text.encode(), "x.ts")
    whole = np.array([[11, 21, 31], [21, 22, 32], [31, 32, 33]], float)
    assert lower.data[0].real == pytest.approx(whole)
    upper = text.replace("Lower", "Upper").replace("21 0 22 0 31 0", "21 0 31 0 22 0")
    assert read_touchstone(upper.encode(), "x.ts").data[0].real == pytest.approx(whole)


def test_impedances_of_version_1_are_in_ohm_again_and_noise_is_kept() -> None:
    text = "# GHz Z RI R 50\n1 1 0 0 0 0 0 1 0\n2 1 0 0 0 0 0 1 0\n1 2.0 0.5 90 0.3\n"
    file = read_touchstone(text.encode(), "x.s2p")
    assert file.parameter == "Z"
    assert file.data[0, 0, 0] == pytest.approx(50.0)
    assert file.noise[0] == pytest.approx([1e9, 2.0, 0.5, 90.0, 0.3])


@pytest.mark.parametrize(
    ("text", "name", "words"),
    [
        ("", "x.s2p", "not whole points"),
        ("# GHz S RI R 50\n1 0 0 0 0 0 0 0\n", "x.s2p", "line 2: .*not whole points"),
        ("# GHz S RI R 50\n1 0 0\n1 0 0\n", "x.s1p", "line 3: .*stands twice"),
        ("# GHz S RI R 50\n2 0 0\n1 0 0\n", "x.s1p", "line 3: .*goes back"),
        ("# GHz S RI R 50\n-1 0 0\n2 0 0\n", "x.s1p", "line 2: .*below 0"),
        ("# GHz S RI R 50\n1 0 soup\n", "x.s1p", "line 2: 'soup' is no number"),
        ("# GHz S RI R 50\n1 0 nan\n", "x.s1p", "not finite"),
        ("# GHz Q RI R 50\n1 0 0\n", "x.s1p", "line 1: 'Q' does not belong"),
        ("# GHz S RI R -5\n1 0 0\n", "x.s1p", "R without"),
        ("# GHz S RI\n1 0 0\n", "noname.txt", "does not tell the number of ports"),
        ("[Version] 7.0\n", "x.ts", "version"),
        ("[Version] 2.0\n[Number of Ports] none\n", "x.ts", "needs a number"),
        ("[Version] 2.0\n[Nonsense] 1\n", "x.ts", "not known"),
        ("[Version 2.0\n", "x.ts", "closing bracket"),
        ("[Version] 2.0\n# GHz S RI\n[Number of Ports] 1\n[Number of Frequencies] 3\n"
         "[Network Data]\n1 0 0\n2 0 0\n", "x.ts", "says 3, the data hold 2"),
        ("[Version] 2.0\n# GHz S RI\n[Number of Ports] 4\n[Network Data]\n1 0 0\n", "x.s2p",
         "says 4, the name of the file 2"),
    ],
)  # fmt: skip
def test_wrong_files_are_told_with_their_line(text: str, name: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        read_touchstone(text.encode(), name)


@settings(max_examples=150)
@given(st.binary(max_size=300), st.sampled_from(["x.s1p", "x.s2p", "x.s4p", "x.ts"]))
def test_any_bytes_give_a_network_or_an_input_error(data: bytes, name: str) -> None:
    try:
        read_touchstone(data, name)
    except InputError:
        return


@settings(max_examples=150)
@given(st.text(alphabet="0123456789.e-+ \n!#[]SRIMADBHzGk", max_size=200))
def test_any_text_gives_a_network_or_an_input_error(text: str) -> None:
    try:
        read_touchstone(("# GHz S RI R 50\n" + text).encode(), "x.s2p")
    except InputError:
        return
