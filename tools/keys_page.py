"""Writes docs/keys.md from the table of commands: `make pages`."""

from pathlib import Path

from levelloop.app.commands.shell.keys import page

if __name__ == "__main__":
    Path("docs/keys.md").write_text(page())
