"""One module per open format: text or bytes on one side, plain dataclasses on the other."""
