"""Onda: the desk where a board's high-speed interconnects are worked out, tuned and signed off.

Data flows one way: files -> `project` -> `studies` -> results, margins -> `app`, `report`, `cli`.
`engine` is numbers only; `verification` proves it against independent answers.
"""

__version__ = "0.1.0"
