"""Everything that the demo shows and answers, as data: the net under a large change.

`python -m tests.walk WHERE` writes it as one JSON file; `python -m tests.walk WHERE --against
OTHER` lists what differs. It takes some minutes and is not part of the test run.
"""
