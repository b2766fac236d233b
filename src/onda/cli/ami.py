"""The command about executable device models: ami."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from onda.cli.common import JsonOption, print_json, read_bytes
from onda.errors import InputError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    FloatArray = NDArray[np.float64]

__all__ = ["register"]


def register(app: typer.Typer) -> None:
    """Add the command to the application."""
    app.command()(ami)


def ami(
    file: Annotated[Path, typer.Argument(help="Parameter file, name.ami.")],
    library: Annotated[Path | None, typer.Option("--library", help="Its library, name.so.")] = None,
    changes: Annotated[
        list[str] | None, typer.Option("--set", help="A parameter, as name=value.")
    ] = None,
    corner: Annotated[str, typer.Option("--corner", help="typ, slow or fast.")] = "typ",
    impulse: Annotated[
        Path | None,
        typer.Option("--impulse", help="CSV: time_s, value, one column more an aggressor."),
    ] = None,
    wave: Annotated[Path | None, typer.Option("--wave", help="CSV: time_s, value.")] = None,
    bit_time: Annotated[str, typer.Option("--bit-time", help="As 100ps.")] = "100ps",
    sample: Annotated[
        str, typer.Option("--sample", help="As 6.25ps; that of the CSV without.")
    ] = "",
    block: Annotated[int, typer.Option("--block", help="Bits sent to it at once.")] = 1024,
    seconds: Annotated[int, typer.Option("--seconds", help="That it may take.")] = 60,
    megabytes: Annotated[int, typer.Option("--megabytes", help="That it may take.")] = 2048,
    as_json: JsonOption = False,
) -> None:
    """Run an executable device model in a process of its own, or list its parameters.

    With --impulse its AMI_Init, with --wave then its AMI_GetWave. Exit 2 where the model fails.
    """
    from onda.formats.ami.parameters import read_ami

    model = read_ami(read_bytes(file), str(file))
    settings = {}
    for change in changes or []:
        name, is_there, value = change.partition("=")
        if not is_there:
            raise InputError(f"--set {change}: no value", remedy="As in --set gain_db=-4.")
        settings[name.strip()] = value.strip()
    parameters = model.sent(settings, corner)
    if library is None:
        if impulse is not None or wave is not None:
            raise InputError("there is no library to run", remedy="Give it: --library name.so.")
        data = [
            {
                "name": p.name,
                "usage": p.usage,
                "type": p.kind,
                "format": p.form,
                "values": list(p.values),
                "default": p.at(corner),
                "description": p.description,
            }
            for p in model.parameters
        ]
        if as_json:
            print_json({"root": model.root, "parameters": data, "parameters_in": parameters})
            return
        for one in data:
            typer.echo(f"{one['name']} ({one['usage']}, {one['type']}) {one['default']}")
        return
    if (impulse is None) == (wave is None):
        raise InputError("give one of --impulse and --wave")
    from onda.formats.ami.run import AmiLimits
    from onda.formats.ami.session import run_model
    from onda.formats.signal_csv import read_signals
    from onda.project.quantities import parse_quantity

    source = impulse or wave
    assert source is not None
    time, columns = read_signals(read_bytes(source), str(source))
    if wave is not None and columns.shape[1] > 1:
        raise InputError("a waveform has one column besides time_s", file=str(source))
    answer = run_model(
        model,
        library,
        parameters,
        time,
        columns,
        is_wave=wave is not None,
        bit_time=parse_quantity(bit_time, "time").si,
        step=parse_quantity(sample, "time").si if sample else None,
        block_bits=block,
        limits=AmiLimits(megabytes, seconds),
    )
    data_out = {
        "parameters_in": parameters,
        "parameters_out": answer.parameters_out,
        "impulse": [] if wave is not None else answer.impulse[:, 0].tolist(),
        "aggressors": [] if wave is not None else answer.impulse[:, 1:].T.tolist(),
        "wave": answer.wave.tolist(),
        "clock_ticks": answer.ticks.tolist(),
        "message": answer.message,
    }
    if as_json:
        print_json(data_out)
        return
    typer.echo(f"{model.root}: {answer.message or 'no message'}")
    typer.echo(f"parameters in  {parameters}")
    typer.echo(f"parameters out {answer.parameters_out or 'none'}")
    if wave is None:
        peak = float(abs(answer.impulse[:, 0]).max())
        typer.echo(f"impulse response of {len(answer.impulse)} samples, largest {peak:.4g}")
    else:
        low, high = float(answer.wave.min()), float(answer.wave.max())
        typer.echo(
            f"{len(answer.wave)} samples from {low:.4g} to {high:.4g}, {len(answer.ticks)} clocks"
        )
