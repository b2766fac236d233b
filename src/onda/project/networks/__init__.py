"""Networks: where S-parameters come from, their chains, and sets of limits."""
