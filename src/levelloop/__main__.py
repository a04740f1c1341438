"""The command line, as `python -m levelloop`."""

from __future__ import annotations

from levelloop.cli import main

if __name__ == "__main__":
    main()
