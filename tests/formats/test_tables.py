"""CSV tables of layers, materials and outlines: round trips, messages, any bytes."""

from __future__ import annotations

import dataclasses
import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from onda.errors import InputError
from onda.formats.build_table import (
    BuildLayer,
    ImpedanceWish,
    layers_from_csv,
    layers_to_csv,
    rules_to_csv,
)
from onda.formats.material_csv import MaterialRow, materials_from_csv, materials_to_csv
from onda.formats.outlines_csv import outlines_from_csv
from onda.formats.table import Column, read_table

LAYERS = (
    BuildLayer("mask", "coating", 25e-6, "Mask", 3.5, 0.024, 1e9, over_copper=14e-6, beside=12e-6),
    BuildLayer("L1", "signal", 43e-6, foil=18e-6, plating=25e-6, undercut=12e-6, rz_base=4e-6),
    BuildLayer("D1", "prepreg", 1e-4, "Low, loss", 3.64, 0.005, 8e9, 0.1, remark='two "plies"'),
    BuildLayer("L2", "plane", 17e-6, base_above=True, cover=0.85),
)
MATERIALS = (
    MaterialRow(
        "A, b", ((1e9, 3.7, 0.005), (2e9, 3.69, 0.0051)), "core", "1080", 0.62, 0.3, 1e-4, -2e-5
    ),
    MaterialRow("plain", ((1e9, 2.1, 0.0),)),
)


def same(a: object, b: object) -> bool:
    """Equal fields to nine digits, not-a-number equal to itself."""
    for field in dataclasses.fields(a):  # type: ignore[arg-type]
        p, q = getattr(a, field.name), getattr(b, field.name)
        if isinstance(p, float):
            if not (math.isnan(p) and math.isnan(q)) and not math.isclose(p, q, rel_tol=1e-8):
                return False
        elif isinstance(p, tuple):
            if repr(p) != repr(q) and p != pytest.approx(q):
                return False
        elif p != q:
            return False
    return True


def test_layers_come_back() -> None:
    found = layers_from_csv(layers_to_csv(LAYERS))
    assert all(same(a, b) for a, b in zip(found, LAYERS, strict=True))


def test_materials_come_back() -> None:
    found = materials_from_csv(materials_to_csv(MATERIALS))
    assert [m.name for m in found] == ["A, b", "plain"]
    for a, b in zip(found[0].points, MATERIALS[0].points, strict=True):
        assert a == pytest.approx(b)
    for one, wanted in zip(found, MATERIALS, strict=True):
        assert same(dataclasses.replace(one, points=wanted.points), wanted)
    assert found[1].points == MATERIALS[1].points


@pytest.mark.parametrize(
    ("column", "typed", "read", "wanted"),
    [
        ("frequency [GHz]", "2.5", "at", 2.5e9), ("frequency [MHz]", "2.5", "at", 2.5e6),
        ("frequency [Hz]", "2.5e9", "at", 2.5e9), ("resin [%]", "60", "resin", 0.6),
        ("resin", "0.6", "resin", 0.6), ("conductivity [W/mK]", "0.4", "conductivity", 0.4),
        ("conductivity [W/(m K)]", "0.4", "conductivity", 0.4),
        ("Dk drift [ppm/K]", "50", "dk_drift", 50e-6), ("Dk drift [1/K]", "5e-5", "dk_drift", 5e-5),
        ("Df drift [ppm/K]", "7", "df_drift", 7e-6), ("Df drift [1/K]", "7e-6", "df_drift", 7e-6),
    ],
)  # fmt: skip
def test_every_unit_of_a_material_is_read(
    column: str, typed: str, read: str, wanted: float
) -> None:
    given = {"material": "core", "frequency [GHz]": "1", "Dk": "3.6", "Df": "0.005"}
    if column.startswith("frequency"):
        del given["frequency [GHz]"]
    given[column] = typed
    text = f"{','.join(given)}\n{','.join(given.values())}\n"
    (row,) = materials_from_csv(text.encode())
    ((at, dk, df),) = row.points
    assert (dk, df) == (3.6, 0.005)
    assert (at if read == "at" else getattr(row, read)) == pytest.approx(wanted)


@pytest.mark.parametrize(
    "column", ["conductivity [W/mK)", "conductivity [W/mK", "Dk drift [1/K] !"]
)
def test_a_unit_that_cannot_be_read_is_said_and_its_column_not_left_out(column: str) -> None:
    text = f"material,frequency [GHz],Dk,Df,{column}\ncore,1,3.6,0.005,0.4\n"
    with pytest.raises(InputError, match=f"unit of column {column.split(' [')[0]} cannot be read"):
        materials_from_csv(text.encode())
    # What is no column of such a table may be there under any name.
    other = text.replace(column, "price [EUR/(m2)) each")
    assert materials_from_csv(other.encode())[0].name == "core"


def test_only_three_columns_are_needed_and_units_are_read() -> None:
    text = (
        b"\xef\xbb\xbf# from the fabricator\nlayer;kind;thickness [mil]\nL1;Signal;1.7\nD1;core;4\n"
    )
    found = layers_from_csv(text)
    assert [x.kind for x in found] == ["signal", "core"]
    assert found[1].thickness == pytest.approx(101.6e-6)


def test_unknown_columns_are_passed_over() -> None:
    text = b"layer,colour,kind,thickness (um)\nL1,red,plane,35\n"
    assert layers_from_csv(text)[0].thickness == pytest.approx(35e-6)


HEAD = b"layer,kind,thickness [um],Dk,Df\n"
MATERIAL = b"material,frequency [GHz],Dk,Df\n"


@pytest.mark.parametrize(
    ("read", "text", "words"),
    [
        (layers_from_csv, b"", "no header line"),
        (layers_from_csv, b"\xff\xfe", "not UTF-8"),
        (layers_from_csv, b"a,b\n1,2\n", "no column layer, kind, thickness"),
        (layers_from_csv, b"layer,kind,thickness\nL1,signal,3\n", "thickness has no unit"),
        (layers_from_csv, b"layer,kind,thickness [ell]\n", "unknown unit 'ell'"),
        (layers_from_csv, b"layer,kind,layer,thickness [um]\n", "layer is there twice"),
        (layers_from_csv, HEAD, "no layer below"),
        (
            layers_from_csv,
            HEAD + b"L1,signal,thick\n",
            "line 2: thickness: 'thick' is not a number",
        ),
        (layers_from_csv, HEAD + b"L1,signal,-3\n", "line 2: thickness"),
        (layers_from_csv, HEAD + b"L1,signal,nan\n", "not finite"),
        (layers_from_csv, HEAD + b"L1,wood,3\n", "unknown kind 'wood'"),
        (layers_from_csv, HEAD + b"\nL1,core,3,0.5,0\n", "line 3: Dk 0.5 is below 1"),
        (layers_from_csv, HEAD + b"L1,core,3,3,-0.1\n", "Df -0.1"),
        (layers_from_csv, HEAD + b"L1,plane,3,,,7\n", "6 cells under 5 columns"),
        (layers_from_csv, HEAD + b"L1,plane,3\nL1,plane,3\n", "'L1' is there twice"),
        (layers_from_csv, HEAD + b'L1,"plane,3\n', "not a table"),
        (layers_from_csv, HEAD + b",plane,3\n", "line 2: layer is empty"),
        (materials_from_csv, MATERIAL, "no material below"),
        (materials_from_csv, MATERIAL + b"x,1,0.9,0.01\n", "no dielectric lies below"),
        (materials_from_csv, MATERIAL + b"x,1,3,-1\n", "between 0 and 0.5"),
        (materials_from_csv, MATERIAL + b"x,2,3,0\nx,1,3,0\n", "line 3: x: 1 GHz after 2 GHz"),
        (materials_from_csv, MATERIAL + b"x,0,3,0\n", "above 0"),
        (
            materials_from_csv,
            b"material,frequency [GHz],Dk,Df,use\nx,1,3,0,wing\n",
            "unknown use 'wing'",
        ),
        (
            materials_from_csv,
            b"material,frequency [GHz],Dk,Df,resin [%]\nx,1,3,0,150\n",
            "share by weight",
        ),
        (outlines_from_csv, b"body,role,x [mm],y [mm]\n", "no corner"),
        (outlines_from_csv, b"body,role,x [mm],y [mm]\nS,wing,0,0\n", "unknown role"),
        (outlines_from_csv, b"body,role,x [mm],y [mm]\nS,signal,0,0\nS,ground,1,0\n", "two roles"),
        (outlines_from_csv, b"body,role,x [mm],y [mm]\nS,signal,0,0\nS,signal,1,0\n", "2 corners"),
        (outlines_from_csv, b"body,role,x [m],y [m]\nS,signal,5,0\n", "more than 1 m"),
    ],
)
def test_what_is_wrong_is_said_with_its_line(read, text, words) -> None:
    with pytest.raises(InputError, match=words) as caught:
        read(text, file="table.csv")
    assert str(caught.value).startswith("table.csv")


def test_a_missing_unit_is_told_with_those_that_there_are() -> None:
    with pytest.raises(InputError) as told:
        layers_from_csv(b"layer,kind,thickness [um],cover [ell]\nL1,signal,3,1\n")
    assert told.value.remedy == "Put one in brackets: %, nothing."


def test_outlines() -> None:
    text = b"body,role,x [mm],y [mm],material\nS,signal,0,0,\nS,signal,1,0,\nS,signal,0,1,\n"
    (body,) = outlines_from_csv(text)
    assert body.corners == ((0.0, 0.0), (1e-3, 0.0), (0.0, 1e-3))


def test_rules_have_a_line_each() -> None:
    text = rules_to_csv(
        [ImpedanceWish("Pairs", "L1", "pair", 100.0, 0.1, 124e-6, 150e-6, reference=("L2", "L4"))]
    ).decode()
    header, row, _ = text.split("\n")
    assert header.startswith("class,layer,kind,target [ohm]")
    assert row == "Pairs,L1,pair,100,10,124,150,,L2 L4,"


def test_a_table_that_is_too_large() -> None:
    with pytest.raises(InputError, match="larger than"):
        read_table(b"x" * (16 * 2**20 + 1), (Column("x"),))


@settings(max_examples=300, deadline=None)
@given(st.binary(max_size=300))
def test_any_bytes(data: bytes) -> None:
    for read in (layers_from_csv, materials_from_csv, outlines_from_csv):
        for head in (b"", HEAD, MATERIAL, b"body,role,x [mm],y [mm]\n"):
            try:
                read(head + data)
            except InputError:
                continue


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=200))
def test_any_text(text: str) -> None:
    for read in (layers_from_csv, materials_from_csv, outlines_from_csv):
        try:
            read(text.encode("utf-8", "surrogatepass"))
        except InputError:
            continue


LENGTHS = {"um": 1e-6, "mm": 1e-3, "mil": 25.4e-6, "in": 25.4e-3}


@pytest.mark.parametrize(("unit", "metres"), [*sorted(LENGTHS.items()), ("m", 1.0)])
def test_lengths_of_outlines_in_each_unit(unit: str, metres: float) -> None:
    """Half a unit, or a thousandth of a metre; both columns by themselves."""
    one = 0.5 if unit != "m" else 0.001
    for x, y in ((unit, "mm"), ("mm", unit)):
        rows = "".join(f"S,signal,{a},{b}\n" for a, b in ((0, 0), (one, 0), (0, one)))
        (body,) = outlines_from_csv(f"body,role,x [{x}],y [{y}]\n{rows}".encode())
        size = {unit: metres, "mm": 1e-3}
        assert body.corners[1][0] == pytest.approx(one * size[x])
        assert body.corners[2][1] == pytest.approx(one * size[y])


@pytest.mark.parametrize(("unit", "metres"), sorted(LENGTHS.items()))
def test_lengths_of_a_build_in_each_unit(unit: str, metres: float) -> None:
    names = {"foil": "foil", "plating": "plating", "undercut": "undercut", "Rz base": "rz_base"}
    value = 1e-5 / metres
    heads = ",".join(f"{name} [{unit}]" for name in ("thickness", *names))
    text = f"layer,kind,{heads}\nL1,signal,{3 * value},{value},{2 * value},{value},{value}\n"
    (row,) = layers_from_csv(text.encode(), file="t.csv")
    assert row.thickness == pytest.approx(3e-5)
    assert row.plating == pytest.approx(2e-5)
    assert row.foil == row.undercut == pytest.approx(1e-5)


@pytest.mark.parametrize(("unit", "hertz"), [("GHz", 1e9), ("MHz", 1e6), ("Hz", 1.0)])
@pytest.mark.parametrize(("share", "part"), [("%", 0.01), ("", 1.0)])
@pytest.mark.parametrize(("drift", "each"), [("ppm/K", 1e-6), ("1/K", 1.0)])
def test_frequencies_shares_and_drifts_in_each_unit(
    unit: str, hertz: float, share: str, part: float, drift: str, each: float
) -> None:
    def head(name: str, unit: str) -> str:
        return f"{name} [{unit}]" if unit else name

    heads = ("material", head("frequency", unit), "Dk", "Df", head("resin", share),
             "conductivity [W/mK]", head("Dk drift", drift), head("Df drift", drift))  # fmt: skip
    row = f"M,{2e9 / hertz},3.1,0.004,{0.55 / part},0.4,{3e-5 / each},{-2e-5 / each}"
    (found,) = materials_from_csv(f"{','.join(heads)}\n{row}\n".encode(), file="m.csv")
    assert found.points == ((pytest.approx(2e9), 3.1, 0.004),)
    assert found.resin == pytest.approx(0.55)
    assert found.conductivity == 0.4
    assert (found.dk_drift, found.df_drift) == pytest.approx((3e-5, -2e-5))
    heads = ("layer", "kind", "thickness [um]", "Dk", "Df", head("at", unit),
             head("tolerance", share), head("cover", share))  # fmt: skip
    row = f"D1,core,100,3.1,0.004,{2e9 / hertz},{0.1 / part},{0.7 / part}"
    (layer,) = layers_from_csv(f"{','.join(heads)}\n{row}\n".encode(), file="t.csv")
    assert layer.frequency == pytest.approx(2e9)
    assert (layer.tolerance, layer.cover) == pytest.approx((0.1, 0.7))
