"""The build of Fulmar: materials, layers, zones, classes, launches. All made up."""

from __future__ import annotations

from typing import Any

__all__ = ["classes", "materials", "sheet_lines", "shielded", "stackup"]


def materials() -> list[dict[str, Any]]:
    """Dielectrics of the build and of the launch."""
    return [
        {"id": "prepreg", "name": "Low-loss prepreg", "dk": 3.64, "df": 0.0052, "at": "8 GHz"}
        | {"use": "prepreg", "glass": "1078", "resin": "64 %", "points": _PREPREG_POINTS}
        | {"thermal_conductivity": 0.38, "dk_per_kelvin": 9e-5, "df_per_kelvin": 7e-4},
        {"id": "core", "name": "Low-loss core", "dk": 3.72, "df": 0.0048, "at": "8 GHz"}
        | {"use": "core", "glass": "1080", "points": _CORE_POINTS}
        | {"thermal_conductivity": 0.38, "dk_per_kelvin": 9e-5, "df_per_kelvin": 7e-4},
        {"id": "flex", "name": "Flex film", "dk": 3.35, "df": 0.0042, "at": "5 GHz"}
        | {"use": "flex", "dk_per_kelvin": 1e-4, "df_per_kelvin": 8e-4},
        {"id": "coverlay", "name": "Coverlay", "dk": 3.3, "df": 0.012, "at": "5 GHz"}
        | {"use": "coating"},
        {"id": "mask", "name": "Solder mask", "dk": 3.5, "df": 0.024, "at": "1 GHz"}
        | {"use": "coating"},
        {"id": "ptfe", "name": "Bead filling", "dk": 2.08, "df": 0.0003, "at": "10 GHz"}
        | {"use": "other"},
    ]


_PREPREG_POINTS = [
    {"at": "1 GHz", "dk": 3.667, "df": 0.0051},
    {"at": "2 GHz", "dk": 3.658, "df": 0.0051},
    {"at": "5 GHz", "dk": 3.647, "df": 0.0052},
    {"at": "8 GHz", "dk": 3.64, "df": 0.0052},
    {"at": "20 GHz", "dk": 3.628, "df": 0.0052},
]
_CORE_POINTS = [
    {"at": "1 GHz", "dk": 3.745, "df": 0.0047},
    {"at": "2 GHz", "dk": 3.737, "df": 0.0047},
    {"at": "5 GHz", "dk": 3.726, "df": 0.0048},
    {"at": "8 GHz", "dk": 3.72, "df": 0.0048},
    {"at": "20 GHz", "dk": 3.709, "df": 0.0048},
]


def _copper(
    identifier: str, role: str, thickness: str, base: str = "below", **more: str
) -> dict[str, Any]:
    undercut = "12 um" if role == "signal" and thickness != "17 um" else "4 um"
    rough = {"rz_base": "4 um", "rz_face": "2.5 um", "foil": thickness}
    return {
        "kind": "copper",
        "id": identifier,
        "role": role,
        "thickness": thickness,
        "undercut": undercut,
        "base": base,
        **rough,
        **more,
    }


def _dielectric(
    identifier: str, name: str, material: str, thickness: str, build: str, laid: str = ""
) -> dict[str, Any]:
    return {
        "kind": "dielectric",
        "id": identifier,
        "name": name,
        "material": material,
        "thickness": thickness,
        "build": build,
    } | ({"laid": laid} if laid else {})


def _coating(identifier: str, material: str = "mask") -> dict[str, Any]:
    return {
        "kind": "coating",
        "id": identifier,
        "material": material,
        "over_laminate": "25 um" if material == "mask" else "50 um",
        "over_copper": "14 um" if material == "mask" else "32 um",
        "beside": "12 um" if material == "mask" else "30 um",
    }


def _outer(identifier: str, base: str) -> dict[str, Any]:
    """An outer layer: foil with plating on it."""
    more = {"foil": "18 um", "plating": "25 um", "cover": "35 %"}
    return _copper(identifier, "signal", "43 um", base, **more)


def _layers() -> list[dict[str, Any]]:
    """Eight copper layers; the middle two run on alone in the tail, under coverlays of its own."""
    return [
        _coating("mask-top"),
        _outer("L1", "below"),
        _dielectric("D12", "prepreg 2x1078", "prepreg", "102 um", "prepreg", "105 um"),
        _copper("L2", "plane", "17 um", cover="85 %"),
        _dielectric("D23", "core", "core", "127 um", "core"),
        _copper("L3", "signal", "17 um", "above", cover="35 %"),
        _dielectric("D34", "prepreg 2x1080", "prepreg", "142 um", "prepreg", "156 um"),
        _coating("cover-top", "coverlay"),
        _copper("L4", "plane", "18 um", cover="85 %", undercut="6 um"),
        _dielectric("D45", "flex film", "flex", "75 um", "flex"),
        _copper("L5", "plane", "18 um", "above", cover="85 %", undercut="6 um"),
        _coating("cover-bottom", "coverlay"),
        _dielectric("D56", "prepreg 2x1080", "prepreg", "142 um", "prepreg", "156 um"),
        _copper("L6", "signal", "17 um", "below", cover="35 %"),
        _dielectric("D67", "core", "core", "127 um", "core"),
        _copper("L7", "plane", "17 um", "above", cover="85 %"),
        _dielectric("D78", "prepreg 2x1078", "prepreg", "102 um", "prepreg", "105 um"),
        _outer("L8", "above"),
        _coating("mask-bottom"),
    ]


def stackup() -> dict[str, Any]:
    """Layers, zones, vias and what the fabricator can make."""
    layers = _layers()
    tail = ("cover-top", "L4", "D45", "L5", "cover-bottom")
    coverlays = ("cover-top", "cover-bottom")
    return {
        "layers": layers,
        "spread": _spread(),
        "zones": [
            {
                "id": "card",
                "name": "Rigid card",
                "kind": "rigid",
                "layers": [x["id"] for x in layers if x["id"] not in coverlays],
            },
            {
                "id": "tail",
                "name": "Flexible tail",
                "kind": "flex",
                "layers": list(tail),
                "signal": ["L4"],
                "bend_radius": "6 mm",
                "bends": "once",
            },
        ],
        "vias": [
            _span("through", "Through", "through", "L1", "L8", "250 um"),
            _span("micro12", "Micro", "micro", "L1", "L2", "125 um"),
            _span("buried36", "Buried", "buried", "L3", "L6", "200 um"),
            _span("back", "Back-drilled", "through", "L1", "L8", "250 um")
            | {"backdrilled_to": "L3"},
        ],
        "fabrication": {
            "etch": [
                {"copper": "20 um", "width": "75 um", "gap": "75 um"},
                {"copper": "45 um", "width": "90 um", "gap": "100 um"},
                {"copper": "75 um", "width": "125 um", "gap": "140 um"},
            ],
            "steps": [
                {"name": "standard", "width": "100 um", "gap": "110 um", "factor": 1.0},
                {"name": "fine", "width": "75 um", "gap": "75 um", "factor": 1.35},
            ],
            "aspect_through": 8.0,
            "aspect_micro": 0.9,
        },
        "total": "1.10 mm",
        "roughness": "Huray",
        "temperature": "20 degC",
    }


def _span(
    identifier: str, name: str, kind: str, top: str, bottom: str, drill: str
) -> dict[str, Any]:
    return {
        "id": identifier,
        "name": name,
        "kind": kind,
        "top": top,
        "bottom": bottom,
        "drill": drill,
    }


def _spread() -> dict[str, Any]:
    return {
        "width": "12 um",
        "dielectric": "10 %",
        "dk": "3 %",
        "copper": "5 um",
        "coating": "8 um",
    }


def _class(
    identifier: str, name: str, kind: str, target: str, loss_at: str, on: list[dict[str, Any]]
) -> dict[str, Any]:
    return {
        "id": identifier,
        "name": name,
        "kind": kind,
        "target": target,
        "loss_at": loss_at,
        "on": on,
    }


def _on(layer: str, width: str, gap: str = "", **more: str) -> dict[str, Any]:
    return {"layer": layer, "width": width} | ({"gap": gap} if gap else {}) | more


def classes() -> list[dict[str, Any]]:
    """Every class of trace with its widths."""
    grounds = {"ground_gap": "200 um", "ground_width": "600 um"}
    return [
        _class(
            "converter-pairs",
            "Converter pairs",
            "pair",
            "100 ohm",
            "8.125 GHz",
            [
                _on("L1", "124 um", "150 um"),
                _on("L3", "98 um", "150 um"),
                _on("L6", "98 um", "150 um"),
                _on("L8", "124 um", "150 um"),
            ],
        ),
        _class(
            "clocks",
            "Clocks",
            "single",
            "64 ohm",
            "1 GHz",
            [_on("L1", "100 um"), _on("L6", "80 um"), _on("L8", "100 um")],
        ),
        _class(
            "general",
            "General",
            "single",
            "55 ohm",
            "500 MHz",
            [
                _on("L1", "146 um"),
                _on("L3", "100 um"),
                _on("L6", "100 um"),
                _on("L8", "146 um"),
            ],
        ),
        _class(
            "uplink-pairs",
            "Uplink pairs",
            "pair",
            "92 ohm",
            "13.28 GHz",
            [_on("L3", "112 um", "140 um"), _on("L6", "112 um", "140 um")],
        ),
        _class(
            "memory",
            "Memory data",
            "single",
            "50 ohm",
            "1.2 GHz",
            [_on("L1", "172 um"), _on("L3", "122 um"), _on("L6", "122 um")],
        ),
        _class(
            "sensor-pairs",
            "Sensor pairs",
            "pair",
            "90 ohm",
            "625 MHz",
            [_on("tail.L4", "132 um", "140 um")],
        ),
        _class(
            "launch",
            "Maintenance launch",
            "single",
            "50 ohm",
            "625 MHz",
            [_on("L8", "168 um", **grounds)],
        ),
        _class(
            "strobes", "Strobe group", "group", "52 ohm", "1.2 GHz", [_on("L6", "112 um", "170 um")]
        )
        | {"count": 4},
    ]


def shielded() -> list[dict[str, Any]]:
    """The edge launch and the module's cavity, with walls that have to be neither near nor far."""
    return [
        {
            "id": "bead",
            "name": "Edge launch bead",
            "shape": "round",
            "material": "ptfe",
            "width": "1.35 mm",
            "height": "1.35 mm",
            "conductor": "0.41 mm",
            "conductor_height": "0.41 mm",
            "floor": "0 mm",
            "up_to": "26 GHz",
            "target": "50 ohm",
        },
        {
            "id": "cavity",
            "name": "Shield over launch",
            "shape": "box",
            "material": "prepreg",
            "width": "3.6 mm",
            "height": "1.6 mm",
            "conductor": "0.21 mm",
            "conductor_height": "43 um",
            "floor": "102 um",
            "up_to": "26 GHz",
            "target": "50 ohm",
        },
    ]


def sheet_lines() -> list[dict[str, Any]]:
    """What is known of the cable to the hub card."""
    return [
        {
            "id": "hub-cable",
            "name": "Hub cable",
            "entry": "figures",
            "length": "300 mm",
            "r": "2.1 ohm/m",
            "l": "246 nH/m",
            "g": "0.2 mS/m",
            "c": "98 pF/m",
            "z0": "50 ohm",
            "delay": "4.9 ps/mm",
            "loss": "1.9 dB/m",
            "at": "1 GHz",
            "copper_share": 0.8,
            "source": "Fulmar cable sheet",
        }
    ]
