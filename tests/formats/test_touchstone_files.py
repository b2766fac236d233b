"""Touchstone written and read back, public files, large and mixed-mode ones, HDF5."""

from __future__ import annotations

import io
import json
from pathlib import Path

import h5py
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from onda.engine.networks.mixed_mode import mixed_mode
from onda.errors import InputError
from onda.formats.network_hdf5 import MAGIC, read_network_hdf5, write_network_hdf5
from onda.formats.touchstone.modes import plain_ports, read_order
from onda.formats.touchstone.reader import read_touchstone
from onda.formats.touchstone.scan import scan
from onda.formats.touchstone.scan_ends import BAD, END, FULL, STOPPED
from onda.formats.touchstone.write import write_touchstone
from onda.verification.complex_pairs import from_pairs

DATA = Path(__file__).parent / "data"
RNG = np.random.default_rng(5)
F = np.array([1e8, 3e8, 1e9])


def random_s(n: int, points: int = 3) -> np.ndarray:
    return 0.3 * (RNG.normal(size=(points, n, n)) + 1j * RNG.normal(size=(points, n, n)))


@pytest.mark.parametrize(
    ("name", "key", "reference"),
    [
        ("four_ri.s4p", "T4", 50.0),
        ("two_r75.s2p", "two_r75", 75.0),
        ("two_order_12_21.ts", "asym", 50.0),
    ],
)
def test_public_files_hold_their_networks(name: str, key: str, reference: float) -> None:
    truth = json.loads((DATA / "truth.json").read_text())
    file = read_touchstone((DATA / name).read_bytes(), name)
    assert file.frequency == pytest.approx(truth["frequency"])
    assert np.abs(file.data - from_pairs(truth[key])).max() < 1e-8
    assert file.reference == pytest.approx(np.full(file.ports, reference))


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("bad01_truncated.s4p", "line 23: .*not whole points"),
        ("bad04_duplicate_frequency.s4p", "line 6: .*stands twice"),
        ("bad07_negative_frequency.s4p", "line 2: .*below 0"),
        ("bad10_freq_count_mismatch.ts", "says 8, the data hold 6"),
    ],
)
def test_public_malformed_files_are_refused(name: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        read_touchstone((DATA / name).read_bytes(), name)


@pytest.mark.parametrize("n", [1, 2, 3, 4, 6, 9])
@pytest.mark.parametrize("form", ["RI", "MA", "DB"])
@pytest.mark.parametrize("version", [1, 2])
def test_what_is_written_is_read_back(n: int, form: str, version: int) -> None:
    s = random_s(n)
    noise = np.array([[1e9, 2.0, 0.5, 90.0, 0.3]]) if n == 2 else None
    reference = np.linspace(40, 60, n) if version == 2 else np.full(n, 75.0)
    text = write_touchstone(
        F, s, reference, version=version, form=form, unit="MHz", comments=("two\nlines",),
        noise=noise,
    )  # fmt: skip
    file = read_touchstone(text, f"x.s{n}p")
    assert file.frequency == pytest.approx(F)
    assert file.data == pytest.approx(s, abs=1e-10)
    assert file.reference == pytest.approx(reference)
    assert file.comments == ("two", "lines")
    if noise is not None and version == 2:
        assert file.noise == pytest.approx(noise)


@pytest.mark.parametrize(
    ("n", "shape"), [(1, [3]), (2, [9]), (3, [7, 6, 6]), (5, [9, 2, 8, 2, 8, 2, 8, 2, 8, 2])]
)
def test_rows_of_a_matrix_have_lines_of_their_own(n: int, shape: list[int]) -> None:
    """One or two ports on one line; of more each row begins one, four entries on a line at most."""
    text = write_touchstone(F, random_s(n), np.full(n, 50.0)).decode()
    rows = [x.split() for x in text.splitlines() if x and x[0] not in "!#["]
    assert [len(r) for r in rows] == shape * len(F)


def test_what_a_dialect_cannot_hold_is_told() -> None:
    s = random_s(2)
    with pytest.raises(InputError, match="one reference"):
        write_touchstone(F, s, np.array([50.0, 75.0]))
    with pytest.raises(InputError, match="no such dialect"):
        write_touchstone(F, s, np.array([50.0]), form="XY")
    with pytest.raises(InputError, match="noise"):
        write_touchstone(F, random_s(3), np.array([50.0]), noise=np.ones((1, 5)))


def test_what_instruments_write_is_read() -> None:
    text = "!a\r\n# hz s ri r 50 75 Ohm\r\n1.0E+9,\t1D-1 0 .2 0 3. 0 -.4e0 0 ! end\r\n"
    file = read_touchstone(text.encode(), "x y ü.S2P")
    assert file.data[0].real == pytest.approx(np.array([[0.1, 3.0], [0.2, -0.4]]))
    assert file.reference == pytest.approx([50.0, 75.0])
    assert file.comments == ("a", "end")
    old = read_touchstone(text.replace("\r\n", "\r").encode(), "x.s2p")
    assert old.data == pytest.approx(file.data)
    with pytest.raises(InputError, match="line 3: 'soup'"):
        read_touchstone(text.replace("3. 0", "soup 0").encode(), "x.s2p")


@pytest.mark.parametrize(
    ("text", "name", "words"),
    [
        ("# GHz S RI\n1 0 0 0 0 0 0 0 0\n2 0 0 0 0 0 0 0 0\n", "x.s4p", "numbers fit 2 ports"),
        ("# GHz Z RI R 50 75\n1 0 0 0 0 0 0 0 0\n", "x.s2p", "S-parameters only"),
        ("\x00#\x00", "x.s2p", "no text"),
        ("1 0 0\n2 0 0\n", "x.s1p", "no option line"),
        ("# GHz S MA\n1 0.5 0\n2 -0.5 0\n", "x.s1p", "line 3: a magnitude below 0"),
        ("# GHz S RI\n1 1e400 0\n", "x.s1p", "not finite"),
        ("# GHz S RI\n1 1e99999999 0\n", "x.s1p", "not finite"),
        ("[Version] 2.0\n# GHz S RI\n[Number of Ports] 2\n[Two-Port Data Order] 21_12\n"
         "[Number of Noise Frequencies] 2\n[Network Data]\n1 0 0 0 0 0 0 0 0\n[Noise Data]\n"
         "1 1 1 1 1\n", "x.ts", "says 2, the data hold 1"),
        ("[Version] 2.0\n# GHz S RI\n[Number of Ports] 2\n[Two-Port Data Order] 21_12\n"
         "[Network Data]\n1 0 0 0 0 0 0 0 0\n[Noise Data]\n1 1 1\n", "x.ts", "whole rows of 5"),
    ],
)  # fmt: skip
def test_more_wrong_files(text: str, name: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        read_touchstone(text.encode(), name)


def scanned(text: bytes, room: int = 50) -> tuple[list[float], int, int]:
    out, notes = np.empty(room), np.empty((4, 2), np.int64)
    count, end, why, _ = scan(text + b"\n", 0, len(text), out, notes)
    return out[:count].tolist(), end, why


@settings(max_examples=300, deadline=None)
@given(st.lists(st.floats(-1e300, 1e300), max_size=20))
def test_the_kernel_reads_what_python_reads(values: list[float]) -> None:
    found, _, why = scanned(" ".join(f"{v:.15g}" for v in values).encode())
    assert why == END
    assert found == pytest.approx([float(f"{v:.15g}") for v in values], rel=4e-15, abs=1e-300)


@settings(max_examples=200, deadline=None)
@given(st.decimals(-(10**6), 10**6, places=6))
def test_numbers_of_few_digits_are_read_exactly(value: object) -> None:
    assert scanned(str(value).encode())[0] == [float(str(value))]


def test_why_a_scan_ends() -> None:
    assert scanned(b"1 2\n[End]")[1:] == (4, STOPPED)
    assert scanned(b"1 2 3", room=2)[1:] == (4, FULL)
    assert scanned(b"1 --2")[1:] == (2, BAD)
    assert scanned(b"0.0000000000000000000012345678901234567 123456789012345678901234")[0] == (
        pytest.approx([1.2345678901234567e-21, 1.2345678901234568e23], rel=1e-14)
    )


def test_a_large_file_is_read_in_pieces_as_in_one() -> None:
    n, points = 12, 4000
    s = random_s(n, points)
    text = write_touchstone(np.arange(1, points + 1) * 1e6, s, np.array([50.0]), comments=("c",))
    assert len(text) > 16_000_000
    file = read_touchstone(text, "x.s12p")
    assert np.abs(file.data - s).max() < 1e-11
    broken = text[:-40]
    with pytest.raises(InputError, match=r"line 1[0-9]{5}: .*not whole points"):
        read_touchstone(broken, "x.s12p")


def test_mixed_modes_come_back_as_plain_ports() -> None:
    s = random_s(6)
    order = "D2,3 D6,5 C2,3 C6,5 S4 S1"
    pairs = ((1, 2), (5, 4))
    mixed = mixed_mode(s, pairs)
    mixed = mixed[:, [0, 1, 2, 3, 5, 4]][:, :, [0, 1, 2, 3, 5, 4]]
    found = plain_ports(mixed, order, np.full(6, 50.0), "x.ts")
    assert found == pytest.approx(s)


@pytest.mark.parametrize(
    ("order", "words"),
    [
        ("D1,2 C1,2", "2 modes for 4 ports"),
        ("D1,2 C1,2 X3 S4", "no mode"),
        ("D1,2 C1,2 S3 S9", "no such ports"),
        ("D1,2 C1,2 D3,4 S3,4", "no mode"),
        ("D1,2 C1,3 D2,3 S4", "not stand for all"),
    ],
)
def test_wrong_mixed_mode_orders(order: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        read_order(order, 4, "x.ts")


def test_a_pair_needs_one_reference() -> None:
    with pytest.raises(InputError, match="two references"):
        plain_ports(random_s(2), "D1,2 C1,2", np.array([50.0, 75.0]), "x.ts")


def test_hdf5_and_back() -> None:
    s = random_s(4)
    data = write_network_hdf5(F, s, np.array([50.0]), ("one", "two"))
    file = read_network_hdf5(data, "x.h5")
    assert file.data == pytest.approx(s)
    assert file.comments == ("one", "two")
    assert file.reference == pytest.approx(np.full(4, 50.0))


@pytest.mark.parametrize(
    "text",
    ["1e5", "1e+5", "1E-5", "1d5", "2.5D+03", "-.5e1", "+7.25e-2", "1.e2", "4e0", "3e22", "3e-22"],
)
def test_every_way_to_write_a_number(text: str) -> None:
    plain = text.lower().replace("d", "e")
    assert scanned(text.encode())[0] == [float(plain)]


def test_what_lies_in_the_working_folder_is_no_module(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "h5py.py").write_text("raise SystemExit(7)")
    monkeypatch.chdir(tmp_path)
    data = write_network_hdf5(F, random_s(2), np.array([50.0]))
    assert read_network_hdf5(data, "x.h5").ports == 2


@settings(max_examples=12)
@given(st.binary(max_size=200), st.integers(8, 2000))
def test_hdf5_of_any_bytes(noise: bytes, at: int) -> None:
    """Each is read in a process of its own, which a bad one may take along."""
    data = write_network_hdf5(F, random_s(2), np.array([50.0]))
    try:
        read_network_hdf5(data[:at] + noise + data[at + len(noise) :], "x.h5")
    except InputError:
        return


@given(st.binary(max_size=200).filter(lambda data: not data.startswith(MAGIC)))
def test_what_is_no_hdf5_is_told_without_trying(noise: bytes) -> None:
    with pytest.raises(InputError, match="no HDF5"):
        read_network_hdf5(noise, "x.h5")


def hdf5(**datasets: object) -> bytes:
    buffer = io.BytesIO()
    with h5py.File(buffer, "w") as file:
        file.attrs["kind"] = datasets.pop("kind", "onda network 1")
        for key, value in datasets.items():
            if isinstance(value, tuple):
                file.create_dataset(key, shape=value, dtype="c16", chunks=True)
            else:
                file[key] = value
    return buffer.getvalue()


@pytest.mark.parametrize(
    ("datasets", "words"),
    [
        ({"kind": "another"}, "no network"),
        ({}, "frequency"),
        ({"frequency": F, "s": "text", "reference": F}, "no array of numbers"),
        # A few kilobytes that would be read as 64 GB.
        ({"frequency": F, "s": (2000, 1414, 1414), "reference": F}, "far larger than its file"),
    ],
)
def test_hdf5_that_is_hostile_or_empty(datasets: dict, words: str) -> None:
    with pytest.raises(InputError, match=words):
        read_network_hdf5(hdf5(**datasets), "x.h5")


def test_hdf5_that_holds_something_else() -> None:
    for f, words in ((F[::-1], "must rise"), (F[:2], "do not fit"), (-F, "below 0")):
        with pytest.raises(InputError, match=words):
            read_network_hdf5(write_network_hdf5(f, random_s(2), np.array([50.0])), "x.h5")
