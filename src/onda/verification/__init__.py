"""Independent reference cases and their runner (`onda verify`).

`runner` reads case files and compares; `topic_*` compute the outputs of one topic each. The public
cases ship in `cases/`.
"""
