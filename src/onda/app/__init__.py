"""The desktop application.

`theme` (look), `document` (the project, undo, autosave), `jobs` (studies in the background),
`standing` (margins of the whole board) are models; `shell` is the frame; `stages` hold one package
per stage, which know the models and never each other; `plots` are drawing pieces they share.
One flow: widget -> document edit -> changed -> study -> result -> view.
"""
