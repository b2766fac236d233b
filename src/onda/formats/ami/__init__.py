"""Executable device models of the open IBIS standard (part AMI): parameters, library, a run."""
