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
from onda.cli.link_answers import (
    bits_of,
    corners_of,
    map_of,
    print_eye,
    summary_of,
    sweep_of,
)
from onda.errors import InputError

if TYPE_CHECKING:
    from onda.project.links.link import Link
    from onda.project.links.model_edits import End
    from onda.project.model import Project

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
    sweep: Annotated[
        str,
        typer.Option(
            "--sweep",
            help="Over loss, speed, random, bounded, sine, noise; values behind a colon in SI.",
        ),
    ] = "",
    corners: Annotated[
        bool, typer.Option("--corners", help="In all corners too, with the settings as they are.")
    ] = False,
    bits: Annotated[
        bool, typer.Option("--bits", help="Bit by bit too, as the link says, through its models.")
    ] = False,
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
        mapped = map_of(runner, project.design, found, over) if over else None
        more: dict[str, Any] = {}
        if sweep:
            more["sweep"] = sweep_of(runner, project.design, found, sweep)
        if corners:
            more["corners"] = corners_of(runner, project.design, found)
        if bits:
            more["bits"] = bits_of(runner, project.design, found)
    wanted = [
        r
        for r in requirements_of(project, Ref("link", found.id))
        if measure(r.measure).study == LINK.name
    ]
    margins = [margin_of(r, measure_link(result, r.measure)) for r in wanted]
    data = summary_of(found.name, result) | {
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
    data |= more
    if as_json:
        print_json(data)
    else:
        print_eye(data)
    if any(m.state is State.FAILS for m in margins):
        raise typer.Exit(EXIT_FAILS)


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
