"""`python -m onda`."""

from onda.cli.main import main

if __name__ == "__main__":
    main()
