"""One script a speed promise, never part of the test run; `make bench` prints them as a table."""
