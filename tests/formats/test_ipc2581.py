"""IPC-2581: round trips without loss, foreign files, hostile files."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from lxml import etree

from onda.errors import InputError
from onda.formats.build_table import BuildLayer, BuildTable, ImpedanceWish, SpanRow, ZoneRow
from onda.formats.ipc2581.reader import read_ipc2581
from onda.formats.ipc2581.write import write_ipc2581
from tests.formats.test_tables import same

BUILD = BuildTable(
    "Card",
    (
        BuildLayer(
            "mask", "coating", 25e-6, "Mask", 3.5, 0.024, 1e9, over_copper=14e-6, beside=12e-6
        ),
        BuildLayer(
            "L1", "signal", 43e-6, foil=18e-6, plating=25e-6, undercut=12e-6, rz_base=4e-6,
            rz_face=2e-6, cover=0.35,
        ),
        BuildLayer("D1", "prepreg", 1e-4, "Low loss", 3.64, 0.005, 8e9, 0.1),
        BuildLayer("L2", "plane", 17e-6, base_above=True, rz_base=3e-6, rz_face=1e-6),
        BuildLayer("D2", "flex", 5e-5, "Film", 3.3, 0.004, 5e9),
        BuildLayer("L3", "plane", 17e-6),
    ),
    (
        SpanRow("through", "through", "L1", "L3", 250e-6),
        SpanRow("back", "through", "L1", "L3", 250e-6, "L2"),
    ),
    (
        ImpedanceWish("Pairs", "L1", "pair", 100.0, 0.1, 124e-6, 150e-6, reference=("L2",)),
        ImpedanceWish("Launch", "L1", "single", 50.0, 0.05, 170e-6, ground_gap=2e-4),
        ImpedanceWish("Tail pairs", "Tail.L2", "pair", 90.0, 0.1, 130e-6, 140e-6),
    ),
    (
        ZoneRow("Card", "rigid", ("mask", "L1", "D1", "L2", "D2", "L3")),
        ZoneRow("Tail", "flex", ("L2", "D2", "L3")),
    ),
    252e-6,
)  # fmt: skip

FOREIGN = b"""<?xml version="1.0" encoding="UTF-8"?>
<IPC-2581 xmlns="http://webstds.ipc.org/2581" revision="B">
 <Content roleRef="Owner"><FunctionMode mode="FABRICATION"/><DictionaryColor/></Content>
 <Bom name="parts"><BomItem OEMDesignNumberRef="R1"/></Bom>
 <Ecad name="x">
  <CadHeader units="MILLIMETER">
   <Spec name="Prepreg1"><General type="MATERIAL"><Property text="Any laminate"/></General>
    <Dielectric type="DIELECTRIC_CONSTANT"><Property value="3.9"/></Dielectric>
    <Dielectric type="LOSS_TANGENT"><Property value="0.012"/></Dielectric></Spec>
   <Spec name="colour"><General type="OTHER" comment="finish"><Property text="green"/></General></Spec>
  </CadHeader>
  <CadData>
   <Layer name="SILK" layerFunction="SILKSCREEN" side="TOP" polarity="POSITIVE"/>
   <Layer name="TOP" layerFunction="CONDUCTOR" side="TOP" polarity="POSITIVE" tool="x"/>
   <Layer name="DIEL" layerFunction="DIELPREG" side="NONE" polarity="POSITIVE"/>
   <Layer name="GND" layerFunction="PLANE" side="BOTTOM" polarity="POSITIVE"/>
   <Stackup name="Primary" overallThickness="0.2" tolPlus="0.02" tolMinus="0.02" whereMeasured="METAL">
    <StackupGroup name="G" thickness="0.2" tolPlus="0" tolMinus="0">
     <StackupLayer layerOrGroupRef="SILK" thickness="0.01" sequence="1"><SpecRef id="colour"/></StackupLayer>
     <StackupLayer layerOrGroupRef="TOP" thickness="0.035" sequence="2" weight="1"/>
     <StackupLayer layerOrGroupRef="DIEL" thickness="0.11" tolPlus="0.011" sequence="3"><SpecRef id="Prepreg1"/></StackupLayer>
     <StackupLayer layerOrGroupRef="GND" thickness="0.035" sequence="4"/>
    </StackupGroup>
   </Stackup>
   <Step name="board"><Profile/></Step>
  </CadData>
 </Ecad>
</IPC-2581>
"""  # noqa: E501


@pytest.mark.parametrize("revision", ["B", "C"])
def test_a_build_comes_back_whole(revision) -> None:
    text = write_ipc2581(BUILD, revision=revision)
    found = read_ipc2581(text)
    assert found.revision == revision
    assert found.left == ()
    for a, b in zip(found.build.layers, BUILD.layers, strict=True):
        assert same(a, b), (a, b)
    assert all(same(a, b) for a, b in zip(found.build.spans, BUILD.spans, strict=True))
    assert found.build.zones == BUILD.zones
    wishes = {(w.name, w.layer): w for w in found.build.wishes}
    for w in BUILD.wishes:
        assert same(wishes[(w.name, w.layer)], w)
    assert found.build.total == pytest.approx(252e-6)


def test_writing_twice_changes_nothing() -> None:
    once = write_ipc2581(BUILD)
    assert write_ipc2581(read_ipc2581(once).build, base=once) == once


def test_a_foreign_file_is_read() -> None:
    found = read_ipc2581(FOREIGN)
    assert [(x.name, x.kind) for x in found.build.layers] == [
        ("TOP", "signal"), ("DIEL", "prepreg"), ("GND", "plane"),
    ]  # fmt: skip
    diel = found.build.layers[1]
    assert (diel.thickness, diel.dk, diel.df) == pytest.approx((110e-6, 3.9, 0.012))
    assert diel.material == "Any laminate"
    assert diel.tolerance == pytest.approx(0.1)
    assert found.left == ("SILK",)
    assert read_ipc2581(without(FOREIGN, b'revision="B"', b'revision="B1"')).revision == "B1"


def test_what_is_not_understood_stays() -> None:
    table = read_ipc2581(FOREIGN).build
    thicker = BuildTable(
        table.name,
        tuple(
            BuildLayer(x.name, x.kind, 120e-6, x.material, x.dk, x.df) if x.name == "DIEL" else x
            for x in table.layers
        ),
    )
    text = write_ipc2581(thicker, base=FOREIGN)
    root = etree.fromstring(text)
    names = [etree.QName(e).localname for e in root.iter() if isinstance(e.tag, str)]
    for kept in ("DictionaryColor", "BomItem", "Profile"):
        assert kept in names
    layers = {e.get("name"): e for e in root.iter() if etree.QName(e).localname == "Layer"}
    assert layers["TOP"].get("tool") == "x"
    assert layers["TOP"].get("layerFunction") == "CONDUCTOR"
    entries = {
        e.get("layerOrGroupRef"): e
        for e in root.iter()
        if etree.QName(e).localname == "StackupLayer"
    }
    assert entries["TOP"].get("weight") == "1"
    assert entries["DIEL"].get("thickness") == "0.12"
    assert "SILK" in entries
    assert [c.get("id") for c in entries["SILK"]] == ["colour"]
    again = read_ipc2581(text)
    assert again.revision == "B"
    assert again.build.layers[1].thickness == pytest.approx(120e-6)


def without(text: bytes, old: bytes, new: bytes) -> bytes:
    assert old in text
    return text.replace(old, new)


BOMB = b"""<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;">]>
<IPC-2581 revision="C">&b;</IPC-2581>"""


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "not XML"),
        (b"layer,thickness", "not XML"),
        (FOREIGN[:900], "line \\d+.*not XML"),
        (BOMB, "document type with definitions"),
        (b"<a/>", "its root is a"),
        (b'<IPC-2581 revision="A"/>', "revision 'A'"),
        (b'<IPC-2581 revision="C"/>', "no CadHeader"),
        (without(FOREIGN, b' units="MILLIMETER"', b""), "line 6: CadHeader has no units"),
        (without(FOREIGN, b"MILLIMETER", b"ELL"), "unknown units 'ELL'"),
        (without(FOREIGN, b'Layer name="GND"', b'Layer name="GROUND"'), "'GND', which is no Layer"),
        (without(FOREIGN, b'Ref="GND" thickness="0.035"', b'Ref="GND"'), "has no thickness"),
        (without(FOREIGN, b'thickness="0.11"', b'thickness="thin"'), "'thin' is not a number"),
        (without(FOREIGN, b'thickness="0.11"', b'thickness="-1"'), "thickness is -1"),
        (without(FOREIGN, b'value="3.9"', b'value="0.2"'), "Dk 0.2"),
        (without(FOREIGN, b'value="0.012"', b'value="nan"'), "value is nan"),
        (without(FOREIGN, b'sequence="4"', b'sequence="last"'), "sequence 'last'"),
        (without(FOREIGN, b'Ref="GND" t', b'Ref="TOP" t'), "'TOP' is there twice"),
        (without(FOREIGN, b"Stackup name", b"Pile name").replace(b"</Stackup>", b"</Pile>"),
         "no Stackup"),
    ],
)  # fmt: skip
def test_broken_files_say_where_and_what(data, words) -> None:
    with pytest.raises(InputError, match=words):
        read_ipc2581(data, file="board.xml")


def test_stackups_that_contradict_each_other() -> None:
    text = write_ipc2581(BUILD)
    at = text.index(b'<Stackup name="Tail"')
    changed = text[:at] + text[at:].replace(b'Ref="D2" thickness="50"', b'Ref="D2" thickness="60"')
    assert changed != text
    with pytest.raises(InputError, match="'D2' is 60 um here and 50 um in another stackup"):
        read_ipc2581(changed)


def test_a_base_that_cannot_be_written_onto() -> None:
    with pytest.raises(InputError, match="no Ecad with units"):
        write_ipc2581(BUILD, base=b'<IPC-2581 revision="C"/>')
    with pytest.raises(InputError, match="revision 'Z'"):
        write_ipc2581(BUILD, revision="Z")


def test_a_missing_value_is_no_value() -> None:
    bare = BuildTable("b", (BuildLayer("L1", "signal", 1e-5), BuildLayer("D", "core", 1e-4)))
    found = read_ipc2581(write_ipc2581(bare)).build
    assert math.isnan(found.layers[1].dk)
    assert math.isnan(found.layers[0].foil)


@settings(max_examples=150, deadline=None)
@given(st.binary(max_size=400))
def test_any_bytes(data: bytes) -> None:
    for text in (data, b'<IPC-2581 revision="C">' + data + b"</IPC-2581>"):
        try:
            read_ipc2581(text)
        except InputError:
            continue


@settings(max_examples=150, deadline=None)
@given(st.integers(0, len(FOREIGN) - 1), st.integers(0, 40), st.binary(max_size=12))
def test_any_damage(at: int, length: int, new: bytes) -> None:
    try:
        read_ipc2581(FOREIGN[:at] + new + FOREIGN[at + length :])
    except InputError:
        return


def test_what_is_too_large_is_not_parsed() -> None:
    with pytest.raises(InputError, match="larger than 64 MiB"):
        read_ipc2581(bytes(64 * 2**20 + 1))
    with pytest.raises(InputError, match="XML"):
        read_ipc2581(bytes(64 * 2**20))


def test_layers_say_on_which_side_they_lie() -> None:
    """The first copper is the top, the last one the bottom; what is no copper has no side but
    between."""
    tree = etree.fromstring(write_ipc2581(BUILD))
    sides = {e.get("name"): e.get("side") for e in tree.iter("{*}Layer")}
    copper = [v.name for v in BUILD.layers if v.kind in ("signal", "plane")]
    assert len(copper) > 2
    assert [sides[n] for n in copper] == ["TOP", *["INTERNAL"] * (len(copper) - 2), "BOTTOM"]
    others = [v.name for v in BUILD.layers if v.kind not in ("signal", "plane")]
    assert {sides[n] for n in others} == {"NONE"}
    assert len(sides) >= len(BUILD.layers)


@pytest.mark.parametrize(
    ("units", "metre"), [("MILLIMETER", 1e-3), ("MICRON", 1e-6), ("INCH", 0.0254)]
)
def test_lengths_without_a_unit_are_in_those_of_the_file(units: str, metre: float) -> None:
    text = without(FOREIGN, b'"MILLIMETER"', f'"{units}"'.encode())
    bare = b'<Conductor type="OTHER" comment="foil"><Property value="0.018"/></Conductor></Spec>'
    text = without(text, b'text="green"/></General></Spec>', b'text="green"/></General>' + bare)
    text = without(
        text, b'sequence="2" weight="1"/>', b'sequence="2"><SpecRef id="colour"/></StackupLayer>'
    )
    found = read_ipc2581(text).build
    assert found.layers[1].thickness == pytest.approx(0.11 * metre)
    assert found.layers[0].foil == pytest.approx(0.018 * metre)
    assert found.total == pytest.approx(0.2 * metre)
    assert found.layers[1].tolerance == pytest.approx(0.1)
    # One stackup is the board, not a zone of it.
    assert found.zones == ()


@pytest.mark.parametrize(
    ("unit", "metre"),
    [("MM", 1e-3), ("MILLIMETER", 1e-3), ("MICRON", 1e-6), ("INCH", 0.0254), ("MIL", 25.4e-6),
     ("OZ", 1.37 * 25.4e-6)],
)  # fmt: skip
def test_a_property_is_in_its_own_unit(unit: str, metre: float) -> None:
    spec = f"""<General type="OTHER" comment="class"><Property text="Pairs"/></General>
     <Impedance type="IMPEDANCE" transmission="EDGE_COUPLED">
      <Property value="100" unit="OHMS" tolPlus="8" tolMinus="8"/></Impedance>
     <Impedance type="LINEWIDTH"><Property value="0.12" unit="{unit}"/></Impedance>
     <Impedance type="SPACING"><Property value="0.15" unit="{unit}"/></Impedance>
     <Impedance type="COPLANAR_GROUND_SPACING"><Property value="0.3" unit="{unit}"/></Impedance>
     <Impedance type="REF_PLANE_LAYER_ID"><Property layerOrGroupRef="GND"/></Impedance></Spec>"""
    text = without(
        FOREIGN, b'text="green"/></General></Spec>', b'text="green"/></General>' + spec.encode()
    )
    text = without(
        text, b'sequence="2" weight="1"/>', b'sequence="2"><SpecRef id="colour"/></StackupLayer>'
    )
    (wish,) = read_ipc2581(text).build.wishes
    assert (wish.name, wish.layer, wish.kind, wish.ohm) == ("Pairs", "TOP", "pair", 100.0)
    found = (wish.width / metre, wish.gap / metre, wish.ground_gap / metre)
    assert found == pytest.approx((0.12, 0.15, 0.3), rel=5e-4)
    assert wish.reference == ("GND",)
    # In ohms here; a share of it where the file says per cent.
    assert wish.tolerance == pytest.approx(0.08)
    percent = without(
        text, b'value="100" unit="OHMS" tolPlus="8"', b'value="50" tolPercent="true" tolPlus="8"'
    )
    (other,) = read_ipc2581(percent).build.wishes
    assert (other.ohm, other.tolerance) == pytest.approx((50.0, 0.08))
    plain = without(text, b'value="100" unit="OHMS" tolPlus="8"', b'value="50" tolPlus="8"')
    assert read_ipc2581(plain).build.wishes[0].tolerance == pytest.approx(0.16)


@pytest.mark.parametrize(("unit", "hertz"), [("HZ", 1.0), ("KHZ", 1e3), ("MHZ", 1e6), ("GHZ", 1e9)])
def test_a_material_says_where_it_was_measured(unit: str, hertz: float) -> None:
    at = f'value="3.9" refValue="2.5" refUnit="{unit}"'.encode()
    assert read_ipc2581(without(FOREIGN, b'value="3.9"', at)).build.layers[1].frequency == (
        pytest.approx(2.5 * hertz)
    )
    unknown = at.replace(unit.encode(), b"TURNS")
    assert math.isnan(
        read_ipc2581(without(FOREIGN, b'value="3.9"', unknown)).build.layers[1].frequency
    )


def test_what_is_no_part_of_the_build_is_numbered_behind_it() -> None:
    text = write_ipc2581(read_ipc2581(FOREIGN).build, base=FOREIGN)
    numbers = {
        e.get("layerOrGroupRef"): e.get("sequence")
        for e in etree.fromstring(text).iter("{*}StackupLayer")
    }
    assert numbers == {"TOP": "1", "DIEL": "2", "GND": "3", "SILK": "4"}
    group = next(etree.fromstring(text).iter("{*}StackupGroup"))
    # In millimetres, as the file has it; what is left is not counted.
    assert float(group.get("thickness")) == pytest.approx(0.18)
    (stackup,) = etree.fromstring(text).iter("{*}Stackup")
    assert float(stackup.get("overallThickness")) == pytest.approx(0.18)
    assert stackup.get("tolPlus") == "0.02"
