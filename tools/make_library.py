"""Writes the library of materials: values typical of classes of laminate, from a mixture of both.

Dk and Df of a laminate follow from those of glass and resin by volume; over frequency they follow
a causal model whose loss rises slowly. Run it after changing a number here: tools/make_library.py
"""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np

from onda.engine.materials import Relaxations
from onda.engine.pressing import GLASS_DENSITY, RESIN_DENSITY, Ply

TARGET = Path(__file__).parents[1] / "src" / "onda" / "data" / "materials.json"
GHZ = (0.1, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 40.0, 70.0)
GLASS_MASS = {
    "106": 24.4,
    "1035": 30.0,
    "1067": 30.8,
    "1078": 47.8,
    "1080": 46.8,
    "1086": 54.0,
    "2113": 78.0,
    "3313": 81.4,
    "2116": 103.8,
    "1652": 138.3,
    "7628": 203.4,
}
RESIN_SHARES = {
    "106": (72, 76),
    "1035": (68, 73),
    "1067": (70, 74),
    "1078": (60, 66),
    "1080": (62, 66),
    "1086": (60, 64),
    "2113": (54, 58),
    "3313": (54, 58),
    "2116": (50, 55),
    "1652": (47, 51),
    "7628": (42, 46),
}
# id, name, resin Dk and Df at 1 GHz, glass Dk and Df, W/(m K), Dk and Df per kelvin
# fmt: off
CLASSES = (
    ("std-mid-tg", "Standard epoxy glass, mid Tg", 3.35, 0.0290, 6.2, 0.002, 0.32, 2.0e-4, 1.2e-3),
    (
        "std-high-tg",
        "Standard epoxy glass, high Tg",
        3.30,
        0.0250,
        6.2,
        0.0020,
        0.35,
        1.6e-4,
        1.0e-3,
    ),
    ("mid-loss", "Mid-loss laminate", 3.20, 0.0145, 6.2, 0.0020, 0.36, 1.2e-4, 9.0e-4),
    ("low-loss", "Low-loss laminate", 3.00, 0.0078, 6.0, 0.0018, 0.38, 9.0e-5, 7.0e-4),
    ("very-low-loss", "Very low-loss laminate", 2.80, 0.0036, 5.0, 0.0015, 0.42, 6.0e-5, 5.0e-4),
    ("ultra-low-loss", "Ultra low-loss laminate", 2.65, 0.0018, 4.7, 0.0012, 0.45, 4.0e-5, 4.0e-4),
)
# fmt: on
CORES = (("thin", "1080", 58, "up to 130 µm"), ("thick", "2116", 50, "above 130 µm"))
# id, name, use, Dk, Df at 1 GHz, W/(m K), Dk and Df per kelvin
OTHERS = (
    ("polyimide-flex", "Polyimide flex film", "flex", 3.40, 0.0045, 0.20, 1.0e-4, 8.0e-4),
    ("polyimide-lowloss-flex", "Low-loss flex film", "flex", 3.05, 0.0021, 0.20, 8.0e-5, 6.0e-4),
    ("acrylic-adhesive", "Acrylic flex adhesive", "adhesive", 3.60, 0.0260, 0.22, 3.0e-4, 1.5e-3),
    ("epoxy-adhesive", "Epoxy flex adhesive", "adhesive", 3.30, 0.0190, 0.22, 2.0e-4, 1.2e-3),
    ("coverlay", "Polyimide coverlay", "coating", 3.35, 0.0120, 0.20, 1.5e-4, 1.0e-3),
    ("solder-mask", "Solder mask", "coating", 3.60, 0.0260, 0.25, 2.0e-4, 1.2e-3),
    ("solder-mask-low-loss", "Low-loss solder mask", "coating", 3.20, 0.0120, 0.25, 1.5e-4, 1e-3),
    ("acrylic-coating", "Acrylic conformal coating", "coating", 2.90, 0.0180, 0.18, 3e-4, 1.5e-3),
    ("silicone-coating", "Silicone conformal coating", "coating", 2.75, 0.0030, 0.2, 2e-4, 1e-3),
)
# id, name, Rz towards the laminate and away from it, µm
FOILS = (
    ("standard", "Standard foil", 9.0, 4.5),
    ("reverse-treated", "Reverse-treated foil", 5.0, 5.5),
    ("low-profile", "Low-profile foil", 4.0, 3.0),
    ("very-low-profile", "Very low-profile foil", 2.5, 2.0),
    ("hyper-low-profile", "Hyper very low-profile foil", 1.3, 1.1),
    ("rolled-annealed", "Rolled annealed foil", 0.9, 0.7),
)


RISE = 0.08
"""By how much loss rises in a decade above 1 GHz, as a share: measured laminates are flat to slowly
rising up to millimetre waves."""
EDGES = (4.0, 9.8, 10.3, 10.8, 11.3, 11.8, 14.0)


def model_through(dk: float, df: float) -> Relaxations:
    """Causal model with this Dk and Df at 1 GHz."""
    middles = 0.5 * (np.array(EDGES[:-1]) + np.array(EDGES[1:]))
    shape = 1.0 + RISE * np.clip(middles - 9.8, 0.0, 2.5)
    bare = Relaxations(0.0, tuple(shape.tolist()), EDGES)
    e = bare.permittivity(np.array([2j * np.pi * 1e9]))[0]
    strength = -dk * df / e.imag
    return Relaxations(dk - strength * e.real, tuple((strength * shape).tolist()), EDGES)


def table(dk: float, df: float) -> list[list[float]]:
    """Rows of GHz, Dk and Df through a point at 1 GHz."""
    model = model_through(dk, df)
    e = model.permittivity(2j * np.pi * np.array(GHZ) * 1e9)
    return [
        [f, round(float(x.real), 3), round(float(-x.imag / x.real), 5)]
        for f, x in zip(GHZ, e, strict=True)
    ]


def mixed(resin: float, dk_r: float, df_r: float, dk_g: float, df_g: float) -> tuple[float, float]:
    """Dk and Df of a mixture with `resin` as share by weight."""
    volume_r, volume_g = resin / RESIN_DENSITY, (1.0 - resin) / GLASS_DENSITY
    share = volume_r / (volume_r + volume_g)
    dk = share * dk_r + (1 - share) * dk_g
    return dk, (share * dk_r * df_r + (1 - share) * dk_g * df_g) / dk


def main() -> None:
    """Write the file."""
    materials = []
    for key, name, dk_r, df_r, dk_g, df_g, heat, dk_k, df_k in CLASSES:
        more = {"thermal_conductivity": heat, "dk_per_kelvin": dk_k, "df_per_kelvin": df_k}
        for core, style, resin, thickness in CORES:
            dk, df = mixed(resin / 100, dk_r, df_r, dk_g, df_g)
            materials.append(
                {
                    "id": f"{key}-core-{core}",
                    "name": f"{name}, core {thickness}",
                    "use": "core",
                    "family": name,
                    "glass": style,
                    "resin": resin,
                    "table": table(dk, df),
                    **more,
                }
            )
        for style, shares in RESIN_SHARES.items():
            for resin in shares:
                dk, df = mixed(resin / 100, dk_r, df_r, dk_g, df_g)
                ply = Ply(GLASS_MASS[style], resin / 100)
                materials.append(
                    {
                        "id": f"{key}-{style}-{resin}",
                        "name": f"{name}, prepreg {style}, {resin} % resin",
                        "use": "prepreg",
                        "family": name,
                        "glass": style,
                        "resin": resin,
                        "glass_mass": GLASS_MASS[style],
                        "laid_um": round(ply.thickness * 1e6, 1),
                        "table": table(dk, df),
                        **more,
                    }
                )
    for key, name, use, dk, df, heat, dk_k, df_k in OTHERS:
        materials.append(
            {
                "id": key,
                "name": name,
                "use": use,
                "family": name,
                "table": table(dk, df),
                "thermal_conductivity": heat,
                "dk_per_kelvin": dk_k,
                "df_per_kelvin": df_k,
            }
        )
    foils = [
        {"id": key, "name": name, "rz_base_um": base, "rz_face_um": face}
        for key, name, base, face in FOILS
    ]
    lines = ",\n".join("  " + json.dumps(m, ensure_ascii=False) for m in materials)
    foil_lines = ",\n".join("  " + json.dumps(f, ensure_ascii=False) for f in foils)
    text = (
        '{\n "format": 1,\n "remark": "Values typical of classes of laminate; table rows are GHz, '
        f'Dk, Df.",\n "materials": [\n{lines}\n ],\n "foils": [\n{foil_lines}\n ]\n}}\n'
    )
    TARGET.write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
