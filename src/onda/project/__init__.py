"""The document: a frozen tree of what the engineer decided, and how it is kept.

`quantities` (values as typed and as SI) -> `model` (the tree) -> `store` (file, atomic save,
migration) and `recovery` (autosave). An edit makes a new tree that shares what did not change.
"""
