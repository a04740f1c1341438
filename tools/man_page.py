"""Writes packaging/levelloop.1, the manual page, from the command line's own words."""

from __future__ import annotations

from pathlib import Path

import click

from levelloop.cli import cli

EXITS = (
    ("0", "done"),
    ("1", "not ready, as the review finds"),
    ("2", "bad input, with one line that says what is wrong"),
    ("3", "a defect of the program, with a line that names the log"),
    ("130", "stopped by Ctrl+C"),
)


def page() -> str:
    """The whole page, in the man macros."""
    lines = [
        ".TH LEVELLOOP 1",
        ".SH NAME",
        "levelloop \\- modeling for subdivision surfaces that measures how smooth they are",
        ".SH SYNOPSIS",
        ".B levelloop",
        "[\\fIFILE\\fR] | \\fB\\-\\-demo\\fR | \\fICOMMAND\\fR \\fIARGUMENTS\\fR",
        ".SH DESCRIPTION",
        _plain(cli.help or ""),
        "With a file, or alone, it opens its window; with a command it works without one.",
        ".SH COMMANDS",
    ]
    for name, command in sorted(cli.commands.items()):
        if command.hidden:
            continue
        context = click.Context(command, info_name=name)
        usage = " ".join(piece for piece in command.collect_usage_pieces(context) if piece != "[OPTIONS]")
        lines += [".SS", f".B {_plain(name)} {_plain(usage)}", ".PP", _plain(command.help or "")]
        for option in command.params:
            record = option.get_help_record(context)
            if record is not None and record[1]:
                lines += [".TP", f".B {_plain(record[0])}", _plain(record[1])]
    lines.append(".SH EXIT STATUS")
    for code, meaning in EXITS:
        lines += [".TP", f".B {code}", _plain(meaning)]
    return "\n".join(lines) + "\n"


def _plain(text: str) -> str:
    """Text as the macros read it: no line that begins like one of them."""
    escaped = " ".join(text.split()).replace("\\", "\\e").replace("-", "\\-")
    return escaped if not escaped.startswith((".", "'")) else "\\&" + escaped


if __name__ == "__main__":
    target = Path(__file__).parent.parent / "packaging" / "levelloop.1"
    target.write_text(page(), encoding="utf-8")
