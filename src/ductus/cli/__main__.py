"""``python -m ductus.cli``."""

from ductus.cli.main import main

if __name__ == "__main__":
    main()
