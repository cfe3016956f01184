"""`python -m mirvo.cli` is `mirvo`."""

from mirvo.cli import main

if __name__ == "__main__":
    main()
