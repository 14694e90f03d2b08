"""`python -m lumenstat` is `lumenstat`."""

from lumenstat.cli import main

if __name__ == "__main__":
    main()
