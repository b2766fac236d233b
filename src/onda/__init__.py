"""Onda: the desk where a board's high-speed interconnects are worked out, tuned and signed off.

Data flows one way: files -> `project` -> `studies` -> results, margins -> `app`, `report`, `cli`.
`engine` is numbers only; `verification` proves it against independent answers.
"""

import os

for _name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS"):
    # Studies run side by side on all cores; threads within each of them only get in their way.
    os.environ.setdefault(_name, "1")

# Nothing is plugged into the models; looking for it reads the metadata of every package.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.1.0"
