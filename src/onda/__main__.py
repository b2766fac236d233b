"""`python -m onda`."""

from onda.cli import main

if __name__ == "__main__":
    main()
