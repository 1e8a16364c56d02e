"""`python -m kebrin` is the `kebrin` command."""

from kebrin.cli import main

if __name__ == "__main__":
    main()
