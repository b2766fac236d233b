"""Executable models: their parameters, a run of them, and every way in which they go wrong."""

from __future__ import annotations

import contextlib
import json
import resource
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from typer.testing import CliRunner

from onda.cli.main import app
from onda.errors import InputError
from onda.formats.ami import child
from onda.formats.ami.parameters import AmiFile, read_ami
from onda.formats.ami.run import AmiLimits, run_library
from onda.formats.ami.session import run_model
from onda.formats.ami.tree import parse_tree
from onda.formats.signal_csv import read_signals, write_signals
from tests.models import MODELS, build, needs_compiler

STEP, BIT = 6.25e-12, 100e-12

INIT = """
long AMI_Init(double *h, long rows, long aggressors, double step, double bit, char *in, char **out,
              void **handle, char **message) { %s }
"""
CLOSE = "long AMI_Close(void *m) { return 1; }\n"
WAVE = """
long AMI_GetWave(double *w, long n, double *clocks, char **out, void *m) { %s }
"""
HEAD = "#include <math.h>\n#include <stdlib.h>\n#include <string.h>\n#include <stdio.h>\n"
FINE = '*out = in; static char ok[] = "fine"; *message = ok; return 1;'


def shipped(name: str) -> AmiFile:
    return read_ami((MODELS / f"{name}.ami").read_bytes(), f"{name}.ami")


@pytest.fixture(scope="module")
def folder(tmp_path_factory) -> Path:
    return tmp_path_factory.mktemp("models")


@pytest.fixture(scope="module")
def libraries(folder) -> dict[str, Path]:
    return {
        name: build(folder, name, (MODELS / f"{name}.c").read_text())
        for name in ("fulmar_tx", "fulmar_rx")
    }


def an_impulse(aggressors: int = 0) -> np.ndarray:
    t = np.arange(40 * 16) * STEP
    h = np.where(t >= BIT, np.exp(-(t - BIT) / 4e-11) / 4e-11, 0.0)
    return np.stack([h, *(0.1 * (k + 1) * h for k in range(aggressors))], axis=1)


# ---- parameters


def test_parameters_as_they_are_sent() -> None:
    rx = shipped("fulmar_rx")
    assert rx.root == "fulmar_rx"
    assert rx.sent({}) == (
        "(fulmar_rx (gain_db -4) (zero 4e9) (pole1 4e9) (pole2 16e9) (taps 2) (adapt 0.002))"
    )
    assert "(pole1 3.6e9) (pole2 14e9)" in rx.sent({}, "slow")
    assert "(pole1 4.4e9) (pole2 18e9)" in rx.sent({}, "fast")
    assert "(gain_db -6)" in rx.sent({"gain_db": "-6"})
    assert rx.says("GetWave_Exists")
    assert rx.reserved("ignore_bits") == "2000"
    assert rx.reserved("Resolve_Exists") is None


def test_branches_strings_and_booleans() -> None:
    text = """(m | a comment (with brackets
      (Reserved_Parameters
        (Modulation (Usage In) (Type String) (List "NRZ" "PAM4") (Default "NRZ")))
      (Model_Specific
        (dfe (mode (Usage In) (Type String) (Default "auto") (Value "auto") (Description "a ) b"))
             (on (Usage InOut) (Type Boolean) (Value true)))
        (n (Usage In) (Type Integer) (Format Range 3 0 9))
        (told (Usage Out) (Type Float) (Value 0))))"""
    file = read_ami(text.encode(), "m.ami")
    assert file.sent({}) == '(m (Modulation "NRZ") (dfe (mode "auto") (on True)) (n 3))'
    assert file.sent({"dfe.on": "false", "n": "7", "modulation": "PAM4"}) == (
        '(m (Modulation "PAM4") (dfe (mode "auto") (on False)) (n 7))'
    )
    assert file.find("mode").path == ("dfe", "mode")
    assert file.find("mode").description == "a ) b"


@pytest.mark.parametrize(
    ("setting", "words"),
    [
        ({"gain_db": "-5"}, "One of 0, -2, -4"),
        ({"taps": "9"}, "between 0 and 4"),
        ({"taps": "1.5"}, "whole number"),
        ({"adapt": "x"}, "is a number"),
        ({"nothing": "1"}, "no parameter 'nothing'"),
        ({"Ignore_Bits": "3"}, "for information"),
    ],
)
def test_settings_that_cannot_be(setting, words) -> None:
    with pytest.raises(InputError) as told:
        shipped("fulmar_rx").sent(setting)
    assert words in str(told.value)


@pytest.mark.parametrize(
    ("text", "words", "line"),
    [
        ("(m\n(Model_Specific (a (Usage In)", "not closed", 2),
        ("(m))", "a parenthesis too many", 1),
        ("hello", "outside of all", 1),
        ("(m (Other 1))", "neither Reserved_Parameters", 1),
        ("(m\n (Model_Specific\n (a (Usage Within) (Type Float) (Value 1))))", "usage 'within'", 3),
        ("(m (Model_Specific\n\n(a (Usage In) (Type Float) (Range 1 2))))", "has 2 values", 3),
        ("(m (Model_Specific (a (Usage In) (Type Float) (Value one))))", "'one' is no number", 1),
        ("(m (Model_Specific (a (Usage In) (Type Float) (Value 1)) (a (Usage In) (Value 2))))",
         "there twice", 1),
        ('(m (Description "never closed', "quote", 1),
        ("(m) (n)", "something behind", 1),
    ],
)  # fmt: skip
def test_files_that_are_wrong_say_where(text, words, line) -> None:
    with pytest.raises(InputError) as told:
        read_ami(text.encode(), "bad.ami")
    assert words in str(told.value)
    assert told.value.line == line
    assert told.value.file == "bad.ami"


@given(st.binary(max_size=400) | st.text('()"| \nab1.-', max_size=300).map(str.encode))
@settings(deadline=None, max_examples=150)
def test_any_bytes_are_read_or_refused(data) -> None:
    with contextlib.suppress(InputError):
        read_ami(data, "x.ami")


def test_very_deep_and_very_long_files_end_at_once() -> None:
    with pytest.raises(InputError, match="too deep"):
        parse_tree(b"(a " * 100_000, "x.ami")
    with pytest.raises(InputError, match="too long"):
        parse_tree(b"(" + b"a " * 2_500_000, "x.ami")


# ---- runs


@needs_compiler
def test_transmit_taps_of_the_example_are_sums_of_delayed_impulses(libraries) -> None:
    tx = shipped("fulmar_tx")
    h = an_impulse(2)
    sent = tx.sent({"before": "-0.05", "behind": "-0.2"})
    found = run_library(libraries["fulmar_tx"], sent, h, step=STEP, bit_time=BIT)
    late = np.concatenate([np.zeros((16, 3)), h])[: len(h)]
    later = np.concatenate([np.zeros((32, 3)), h])[: len(h)]
    assert found.impulse == pytest.approx(-0.05 * h + 0.75 * late - 0.2 * later)
    assert found.parameters_out == "(fulmar_tx (main 0.75))"
    assert found.message == "three taps"
    assert len(found.wave) == len(found.ticks) == 0


@needs_compiler
def test_a_waveform_by_blocks_is_one_by_itself(libraries) -> None:
    bits = np.random.default_rng(3).integers(0, 2, 500) * 2.0 - 1.0
    wave = np.repeat(bits, 16)[:, None]
    time = np.arange(len(wave)) * STEP
    tx = shipped("fulmar_tx")

    def made(block: int) -> np.ndarray:
        found = run_model(
            tx, libraries["fulmar_tx"], tx.sent({}), time, wave, is_wave=True, bit_time=BIT,
            block_bits=block,
        )  # fmt: skip
        return found.wave

    expected = np.zeros(len(wave))
    expected[16:] += 0.9 * wave[:-16, 0]
    expected[32:] -= 0.1 * wave[:-32, 0]
    assert made(1024) == pytest.approx(expected)
    assert made(7) == pytest.approx(expected)


@needs_compiler
def test_the_receiver_ticks_once_a_bit_and_opens_a_closed_eye(libraries) -> None:
    bits = np.random.default_rng(5).integers(0, 2, 6000) * 2.0 - 1.0
    wave = np.repeat(bits, 16)
    # A slow channel: a bit by itself reaches half of its height.
    decay = np.exp(-np.arange(400) * STEP / 1.4e-10)
    slow = np.convolve(wave, decay / decay.sum())[: len(wave)]
    rx = shipped("fulmar_rx")
    time = np.arange(len(wave)) * STEP
    found = run_model(
        rx, libraries["fulmar_rx"], rx.sent({"gain_db": "-6"}), time, slow[:, None], is_wave=True,
        bit_time=BIT,
    )  # fmt: skip
    # The one before the first whole bit is left out.
    assert len(found.ticks) == 5999
    assert np.diff(found.ticks) == pytest.approx(BIT, rel=0.05)
    # The clock stays with the bits, in the mean a bit a bit.
    late = found.ticks[3000:]
    assert late[-1] - late[0] == pytest.approx((len(late) - 1) * BIT, abs=0.25 * BIT)

    def open_by(signal: np.ndarray) -> float:
        best = -np.inf
        for phase in range(16):
            seen = signal[16 * 3000 + phase :: 16]
            sent = bits[3000 : 3000 + len(seen)]
            seen = seen / np.abs(seen).mean()
            best = max(best, float(seen[sent > 0].min() - seen[sent < 0].max()))
        return best

    assert open_by(found.wave) > open_by(slow) + 0.2


@needs_compiler
def test_a_signal_is_resampled_to_what_the_model_wants(libraries) -> None:
    tx = shipped("fulmar_tx")
    t = np.arange(400) * 10e-12
    h = np.exp(-(((t - 1e-9) / 2e-10) ** 2))[:, None]
    found = run_model(
        tx, libraries["fulmar_tx"], tx.sent({"behind": "0"}), t, h, is_wave=False, bit_time=BIT,
        step=5e-12,
    )  # fmt: skip
    at = np.arange(len(found.impulse)) * 5e-12
    exact = np.exp(-(((at - BIT - 1e-9) / 2e-10) ** 2))
    assert found.impulse[:, 0] == pytest.approx(exact, abs=2e-3)


@needs_compiler
def test_without_a_waveform_function_the_impulse_response_serves(folder) -> None:
    double = "for (long i = 0; i < rows; i++) h[i] *= 2.0;" + FINE
    library = build(folder, "plain", HEAD + INIT % double + CLOSE)
    file = read_ami(
        b"(p (Reserved_Parameters (GetWave_Exists (Usage Info) (Type Boolean) (Value False))"
        b"(Init_Returns_Impulse (Usage Info) (Type Boolean) (Value True))))",
        "p.ami",
    )
    time = np.arange(64) * STEP
    wave = np.sin(time / 1e-10)[:, None]
    found = run_model(file, library, file.sent({}), time, wave, is_wave=True, bit_time=BIT)
    assert found.wave == pytest.approx(2.0 * wave[:, 0])
    assert found.message.startswith("fine; it has no AMI_GetWave")
    with pytest.raises(InputError, match="has no function AMI_GetWave"):
        run_library(library, "(p)", wave, step=STEP, bit_time=BIT, wave=wave[:, 0])


PASS = "return 1;"
BAD = {
    "crash": ("int *p = 0; return *p;", PASS, "crashes: it reads or writes memory"),
    "abort": ("abort();", PASS, "crashes: it aborts"),
    "divide": ("extern int raise(int); raise(8); return 1;", PASS, "cannot be done"),
    "hang": ("for (;;) { __asm__ volatile(\"\"); }", PASS, "hangs: no answer within 2 s"),
    "sleep": ("extern unsigned sleep(unsigned); sleep(60); return 1;", PASS, "hangs"),
    "refuse": ("static char m[] = \"no licence\"; *message = m; return 0;", PASS, "no licence"),
    "nan": ("h[3] = NAN; return 1;", PASS, "not finite (impulse response)"),
    "eater": (
        "for (;;) { char *p = malloc(1 << 26); memset(p, 1, 1 << 26); }", PASS, "crashes",
    ),
    "leaver": ("exit(3);", PASS, "does not answer"),
    "late": (FINE, "int *p = 0; return *p;", "crashes"),
    "tired": (FINE, "static int k; return ++k < 3;", "gives up in block 3"),
    "noisy": (FINE, "w[n / 2] = INFINITY; return 1;", "not finite (waveform)"),
}  # fmt: skip


@needs_compiler
@pytest.mark.parametrize("kind", BAD)
def test_what_goes_wrong_inside_is_one_sentence(folder, kind) -> None:
    init, wave, words = BAD[kind]
    library = build(folder, kind, HEAD + INIT % init + WAVE % wave + CLOSE)
    # A busy machine may need seconds to start a process at all.
    limits = AmiLimits(megabytes=512, seconds=2 if "hangs" in words else 60)
    with pytest.raises(InputError) as told:
        run_library(
            library, "(x)", an_impulse(), step=STEP, bit_time=BIT, wave=np.ones(4096),
            block_bits=16, limits=limits,
        )  # fmt: skip
    assert words in str(told.value)
    assert "\n" not in str(told.value)


def test_what_starting_took_is_not_taken_from_a_librarys_time(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    set_to: dict[int, tuple[int, int]] = {}
    monkeypatch.setattr(resource, "setrlimit", set_to.__setitem__)
    monkeypatch.setattr(child.time, "process_time", lambda: 3.2)
    child._limits(512, 2)
    assert set_to[resource.RLIMIT_CPU] == (6, 7)
    assert set_to[resource.RLIMIT_AS] == (512 * 2**20, 512 * 2**20)


@needs_compiler
def test_libraries_that_cannot_be_loaded(folder) -> None:
    def run(library: Path) -> str:
        with pytest.raises(InputError) as told:
            run_library(library, "(x)", an_impulse(), step=STEP, bit_time=BIT)
        return str(told.value)

    assert "has no function AMI_Close" in run(build(folder, "half", HEAD + INIT % FINE))
    text = folder / "text.so"
    text.write_text("no library at all, but long enough to look at")
    assert "no library for this machine" in run(text)
    inner = build(folder, "libinner", "int inner(void) { return 1; }")
    outer = build(
        folder, "outer", HEAD + "int inner(void);\n" + INIT % ("return inner();") + CLOSE,
        f"-L{folder}", "-linner",
    )  # fmt: skip
    inner.unlink()
    assert "needs another library that is not there" in run(outer)
    assert "is no file" in run(folder / "nowhere.so")


@needs_compiler
def test_a_waveform_goes_in_blocks_of_whole_bits(folder) -> None:
    """The library answers with the length of each block; a last one that is shorter is sent too."""
    body = "for (long i = 0; i < n; i++) w[i] = n; return 1;"
    library = build(folder, "counting", HEAD + INIT % FINE + WAVE % body + CLOSE)
    wave = np.ones(round(40 * BIT / STEP))
    found = run_library(
        library, "(x)", an_impulse(), step=STEP, bit_time=BIT, wave=wave, block_bits=16
    )
    block = round(16 * BIT / STEP)
    wanted = [block] * (2 * block) + [len(wave) - 2 * block] * (len(wave) - 2 * block)
    assert found.wave.tolist() == wanted


@needs_compiler
def test_what_a_library_prints_is_not_its_answer(folder) -> None:
    library = build(
        folder, "talker", HEAD + INIT % ('printf("{}\\n"); fflush(stdout);' + FINE) + CLOSE
    )
    found = run_library(library, "(x)", an_impulse(), step=STEP, bit_time=BIT)
    assert found.impulse == pytest.approx(an_impulse())


# ---- the command


def run(*arguments: str) -> tuple[int, str]:
    result = CliRunner().invoke(app, ["ami", *arguments], catch_exceptions=False)
    return result.exit_code, result.output


@needs_compiler
def test_the_command_answers_as_promised(libraries, tmp_path) -> None:
    ami = tmp_path / "fulmar_tx.ami"
    ami.write_bytes((MODELS / "fulmar_tx.ami").read_bytes())
    h = an_impulse(1)
    source = tmp_path / "h.csv"
    source.write_text(write_signals(np.arange(len(h)) * STEP, h, ("value", "a1")))
    common = (str(ami), "--library", str(libraries["fulmar_tx"]), "--bit-time", "100ps")
    code, out = run(
        *common, "--sample", "6.25ps", "--set", "behind=-0.2", "--impulse", str(source), "--json"
    )
    assert code == 0
    data = json.loads(out)
    expected = np.concatenate([np.zeros(16), 0.8 * h[:, 0]])[: len(h)]
    expected[32:] -= 0.2 * h[:-32, 0]
    assert data["impulse"] == pytest.approx(expected.tolist(), rel=1e-6, abs=1.0)
    assert data["aggressors"][0] == pytest.approx((0.1 * expected).tolist(), rel=1e-6, abs=1.0)
    assert (data["wave"], data["clock_ticks"]) == ([], [])
    assert data["parameters_out"] == "(fulmar_tx (main 0.8))"
    assert data["message"] == "three taps"
    wave = tmp_path / "w.csv"
    wave.write_text(write_signals(np.arange(64) * STEP, np.ones((64, 1)), ("value",)))
    _, out = run(*common, "--wave", str(wave), "--json")
    assert json.loads(out)["wave"][40:] == pytest.approx([0.8] * 24)
    _, out = run(str(ami))
    assert "behind (in, float) -0.1" in out
    with pytest.raises(InputError, match="give one of"):
        run(*common)
    with pytest.raises(InputError, match="no library to run"):
        run(str(ami), "--wave", str(wave))


# ---- signals


def test_signals_go_out_and_come_back() -> None:
    t, v = np.arange(5) * 1e-12, np.arange(10.0).reshape(5, 2) / 7.0
    time, values = read_signals(write_signals(t, v, ("value", "a1")).encode(), "x.csv")
    assert time == pytest.approx(t)
    assert values == pytest.approx(v, rel=1e-8)


@pytest.mark.parametrize(
    ("text", "words", "line"),
    [
        ("a,b\n1,2\n", "first line", 1),
        ("time_s,value\n0,1\n1e-12,x\n", "no number", 3),
        ("time_s,value\n0,1\n1e-12,1,2\n", "3 values, 2", 3),
        ("time_s,value\n1e-12,1\n0,1\n", "do not rise", 3),
        ("time_s,value\n0,1\n1e-12,1\n1e-12,2\n", "do not rise", 4),
        ("time_s,value\n0,nan\n", "not finite", 2),
        ("time_s,value\n0,1\n", "fewer than two", None),
    ],
)
def test_signals_that_are_wrong(text, words, line) -> None:
    with pytest.raises(InputError) as told:
        read_signals(text.encode(), "x.csv")
    assert words in str(told.value)
    assert told.value.line == line


@given(
    st.binary(max_size=300) | st.text("time_svalu,0123456789e-.\n", max_size=200).map(str.encode)
)
@settings(deadline=None, max_examples=100)
def test_any_signal_is_read_or_refused(data) -> None:
    with contextlib.suppress(InputError):
        read_signals(data, "x.csv")
