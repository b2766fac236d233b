"""The commands about links: eye, margin."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from onda.cli.common import (
    EXIT_FAILS,
    FileArgument,
    JsonOption,
    open_project,
    pick,
    print_json,
    read_bytes,
    read_text,
    running,
)
from onda.errors import InputError

if TYPE_CHECKING:
    from onda.project.links.link import Link
    from onda.project.links.model_edits import End
    from onda.project.model import Design, Project
    from onda.studies.core.runner import StudyRunner
    from onda.studies.links.link import LinkEye, Setting

__all__ = ["register"]


def register(app: typer.Typer) -> None:
    """Add the command to the application."""
    app.command()(eye)
    app.command()(margin)


def eye(
    file: FileArgument,
    link: Annotated[str, typer.Option("--link", help="Id or name; the first without.")] = "",
    ber: Annotated[
        float, typer.Option("--ber", help="Error rate; that of the link without.")
    ] = math.nan,
    pulse: Annotated[
        Path | None,
        typer.Option("--pulse", help="CSV (time_s, value, other lanes): what a symbol becomes."),
    ] = None,
    sender: Annotated[
        Path | None,
        typer.Option(
            "--sender",
            help="Executable model that sends: .ami, its .so beside it, or .ibs, as FILE:MODEL.",
        ),
    ] = None,
    listener: Annotated[
        Path | None, typer.Option("--listener", help="Executable model that listens.")
    ] = None,
    changes: Annotated[
        list[str] | None,
        typer.Option("--set", help="Of these models, as sender.behind=-0.2."),
    ] = None,
    allow: Annotated[
        bool,
        typer.Option(
            "--allow-libraries", help="Run the libraries that its models name, now and later."
        ),
    ] = False,
    over: Annotated[
        str, typer.Option("--map", help="Two of behind, before, gain: the figure of merit of each.")
    ] = "",
    as_json: JsonOption = False,
) -> None:
    """The eye of a link at an error rate, what each equaliser earns, and whether it is enough.

    Exit 0 where all limits of the link that go by the error rate hold, 1 where one fails.
    """
    from onda.project.base import set_value
    from onda.project.edits import requirements_of
    from onda.project.files import keep
    from onda.project.kind import Ref
    from onda.project.links.executable import allow_library
    from onda.project.links.model_edits import with_pulse
    from onda.project.measures import measure
    from onda.studies.core.margin import State, margin_of
    from onda.studies.links.inputs import link_inputs
    from onda.studies.links.judge import measure_link
    from onda.studies.links.link import LINK

    project = open_project(file)
    found = pick(project.design.links, link, "link", file=file)
    if not math.isnan(ber):
        if not 1e-18 <= ber <= 1e-2:
            raise InputError(f"an error rate of {ber:g}", remedy="From 1e-18 to 1e-2, as 1e-12.")
        found = set_value(found, error_rate=ber)
    if pulse is not None:
        project = with_pulse(project, found, pulse.name, keep(read_bytes(pulse)))
        found = project.design.link(found.id)
    for end, ami in (("sender", sender), ("listener", listener)):
        if ami is not None:
            project = _with_model(project, found.id, end, ami)  # type: ignore[arg-type]
            found = project.design.link(found.id)
    for change in changes or []:
        found = _model_set(found, change)
    if allow:
        for model in (found.sender.model, found.listener.model):
            if model is not None:
                library = project.design.device_file(model.library)
                allow_library(library.sha256, library.path)
    with running() as runner:
        result = runner.result(LINK, link_inputs(project.design, found))
        mapped = _map(runner, project.design, found, over) if over else None
    wanted = [
        r
        for r in requirements_of(project, Ref("link", found.id))
        if measure(r.measure).study == LINK.name
    ]
    margins = [margin_of(r, measure_link(result, r.measure)) for r in wanted]
    data = _summary(found.name, result) | {
        "limits": [
            {
                "measure": r.measure,
                "value": m.value,
                "margin": m.margin,
                "state": m.state.value,
                "sentence": m.sentence,
            }
            for r, m in zip(wanted, margins, strict=True)
        ]
    }
    if mapped is not None:
        data["map"] = mapped
    if as_json:
        print_json(data)
    else:
        _print(data)
    if any(m.state is State.FAILS for m in margins):
        raise typer.Exit(EXIT_FAILS)


def _map(runner: StudyRunner, design: Design, link: Link, over: str) -> dict[str, Any]:
    from onda.studies.links.inputs import link_inputs
    from onda.studies.links.merit_map import LINK_MAP, MapInputs

    across, _, up = over.partition(",")
    inputs = MapInputs(link_inputs(design, link), across.strip(), up.strip())
    found = runner.result(LINK_MAP, inputs)
    names = (found.across, found.up, "db")
    return {
        found.across: found.across_values.tolist(),
        found.up: found.up_values.tolist(),
        "merit_db": found.merit_db.tolist(),
        "chosen": dict(zip(names, found.chosen, strict=True)),
        "best": dict(zip(names, found.best, strict=True)),
        "falls_db": found.falls,
    }


def _with_model(project: Project, link: str, end: End, ami: Path) -> Project:
    """The project with an executable model at an end; who names its library allows it."""
    from onda.project.files import keep
    from onda.project.links.executable import allow_library
    from onda.project.links.model_edits import put_model

    library = ami.with_suffix(".so")
    if ami.suffix.lower() != ".ami":
        ami, library = _of_device(ami, end)
    names = []
    for file in (ami, library):
        names.append((file.name, keep(read_bytes(file))))
    allow_library(names[1][1], library.name)
    return put_model(project, project.design.link(link), end, names[0], names[1])


def _of_device(device: Path, end: End) -> tuple[Path, Path]:
    """Parameters and library of the model that a device file names; ``FILE:MODEL`` names one."""
    from onda.studies.links.in_device_file import EXECUTABLES, for_end, named_inputs

    name, _, model = device.name.partition(":")
    path = device.with_name(name)
    with running() as runner:
        some = for_end(runner.result(EXECUTABLES, named_inputs(path)), end, name, model)
    if len(some) > 1:
        names = ", ".join(one.model for one in some)
        raise InputError(
            f"{len(some)} of its models run here", file=name, remedy=f"As in {name}:MODEL: {names}."
        )
    return Path(some[0].parameters), Path(some[0].library)


def _model_set(link: Link, change: str) -> Link:
    """A link with one `--set` of a model of it."""
    from onda.project.links.model_edits import model_of, with_model

    name, is_there, value = change.partition("=")
    end, _, parameter = name.strip().partition(".")
    if not is_there or end not in ("sender", "listener") or not parameter:
        raise InputError(f"--set {change}", remedy="As in --set sender.behind=-0.2.")
    model = model_of(link, end)  # type: ignore[arg-type]
    if model is None:
        raise InputError(f"--set {change}: there is no model at that end")
    new = model.with_setting(parameter, value.strip())
    return with_model(link, end, new)  # type: ignore[arg-type]


def _number(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _setting(setting: Setting) -> dict[str, Any]:
    return {
        "name": setting.name,
        "height_v": setting.height,
        "width_s": setting.width,
        "eyes": [
            {
                "name": e.name,
                "height_v": e.height,
                "width_s": e.width,
                "left_s": _number(e.left),
                "right_s": _number(e.right),
                "tallest_at_s": e.tallest,
                "area_vs": e.area,
            }
            for e in setting.eyes
        ],
    }


def _summary(name: str, result: LinkEye) -> dict[str, Any]:
    chain, merit = result.chain, result.merit
    return {
        "name": name,
        "error_rate": result.error_rate,
        "unit_interval_s": result.unit_interval,
        "levels": list(result.levels),
        "height_v": result.eye.height,
        "width_s": result.eye.width,
        "width_ui": result.eye.width / result.unit_interval,
        "worst_case_height_v": result.worst,
        "worst_symbols": list(result.worst_symbols),
        "settings": [_setting(s) for s in result.settings],
        "transmit_taps": list(chain.taps),
        "gain_db": 20.0 * math.log10(chain.gain),
        "decision_taps_v": list(result.taps),
        "cursors_v": {str(k): v for k, v in result.cursors.items()},
        "merit_db": merit.db,
        "interference_v": merit.interference,
        "crosstalk_v": merit.crosstalk,
        "jitter_as_noise_v": merit.jitter,
        "noise_v": merit.noise,
        "jitter": {
            "random_s": _number(result.jitter.random),
            "deterministic_s": _number(result.jitter.deterministic),
            "total_s": _number(result.jitter.total),
        },
        "mask_growth": _number(result.mask_growth),
        "delay_s": result.delay,
        "doubts": list(result.doubts),
    }


def _print(data: dict[str, Any]) -> None:
    unit = data["unit_interval_s"]
    typer.echo(f"{data['name']} at an error rate of {data['error_rate']:g}")
    for s in data["settings"]:
        for e in s["eyes"]:
            which = f", {e['name']}" if len(s["eyes"]) > 1 else ""
            size = (
                f"{1e3 * e['height_v']:.1f} mV by {e['width_s'] / unit:.3f} UI"
                if e["height_v"] > 0.0
                else "closed"
            )
            typer.echo(f"  {s['name']}{which}: {size}")
    typer.echo(
        f"worst case {1e3 * data['worst_case_height_v']:.1f} mV; signal over all else "
        f"{data['merit_db']:.2f} dB (interference {1e3 * data['interference_v']:.2f}, crosstalk "
        f"{1e3 * data['crosstalk_v']:.2f}, jitter {1e3 * data['jitter_as_noise_v']:.2f}, noise "
        f"{1e3 * data['noise_v']:.2f} mV)"
    )
    taps = " ".join(f"{t:.3g}" for t in data["transmit_taps"])
    back = " ".join(f"{1e3 * t:.1f}" for t in data["decision_taps_v"])
    typer.echo(
        f"transmit taps {taps}; gain at 0 Hz {data['gain_db']:.1f} dB; feedback {back or 'none'} mV"
    )
    if "map" in data:
        best = ", ".join(f"{k} {v:.3g}" for k, v in data["map"]["best"].items())
        typer.echo(
            f"best on the map: {best}; a step costs {data['map']['falls_db']:.2f} dB or less"
        )
    for limit in data["limits"]:
        typer.echo(limit["sentence"])
    for doubt in data["doubts"]:
        typer.echo(f"but {doubt}")


def margin(
    file: FileArgument,
    link: Annotated[str, typer.Option("--link", help="Id or name; the first without.")] = "",
    sheet: Annotated[
        Path | None, typer.Option("--sheet", help="JSON of parameters that are not the usual ones.")
    ] = None,
    least: Annotated[float, typer.Option("--at-least", help="dB that it must have.")] = 3.0,
    as_json: JsonOption = False,
) -> None:
    """Channel operating margin of a link over a network, with every figure on the way.

    After IEEE 802.3 annex 93A. Exit 1 where it is below what it must have.
    """
    import json
    from dataclasses import asdict

    from onda.studies.links.margin import OPERATING_MARGIN, link_terms, margin_inputs, terms_of

    project = open_project(file)
    found = pick(project.design.links, link, "link", file=file)
    terms = link_terms(found)
    if sheet is not None:
        try:
            tree = json.loads(read_text(sheet))
        except ValueError as error:
            raise InputError(f"is no JSON ({error})", file=str(sheet)) from error
        terms = terms_of(tree, terms, str(sheet))
    with running() as runner:
        result = runner.result(OPERATING_MARGIN, margin_inputs(project.design, found, terms))
    data = {
        "name": found.name,
        "com_db": result.com_db,
        "at_least_db": least,
        "merit_db": result.merit_db,
        **{f"setting_{k}": v for k, v in asdict(result.settings).items()},
        "available_v": result.available,
        "noise_peak_v": result.noise_peak,
        "sampling_s": result.sampling,
        "main_v": result.main,
        "decision_taps": list(result.taps),
        "sigma_isi_v": result.sigma_isi,
        "sigma_jitter_v": result.sigma_jitter,
        "sigma_crosstalk_v": result.sigma_crosstalk,
        "sigma_noise_v": result.sigma_noise,
        "sigma_transmitter_v": result.sigma_transmitter,
        "sigma_gaussian_v": result.sigma_gaussian,
        "warnings": list(result.warnings),
        "sheet": {k: list(v) if isinstance(v, tuple) else v for k, v in asdict(terms).items()},
    }
    if as_json:
        print_json(data)
    else:
        for name, value in data.items():
            if name in ("sheet", "warnings"):
                continue
            words = " ".join(f"{v:.4g}" for v in value) if isinstance(value, list) else value
            typer.echo(f"{name:22} {words if isinstance(words, str) else f'{words:.5g}'}")
        for warning in result.warnings:
            typer.echo(f"but {warning}")
    if result.com_db < least:
        raise typer.Exit(EXIT_FAILS)
