"""What all studies share.

A study is a pure function of a frozen slice (`study`). The runner serves it from the cache or runs
it on an executor (`runner`, `cache`, `keys`). A judge leads from a requirement to the study that
answers it and to its `margin`; `check` does so for a whole board.
"""
