"""Networks: S-parameters read, put in order, proved, joined, held against limits.

`chain_view` draws the pieces with their ports and wires and `proof` shows beside it what the order
does; the views below share one result. `stage` joins them to the document and the studies.
"""
