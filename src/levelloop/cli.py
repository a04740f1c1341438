"""The command line: open the window, or smooth, review, convert and run without one."""

from __future__ import annotations

import difflib
import gc
import json
import os
import signal
import sys
from collections.abc import Iterable, Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from levelloop import __version__
from levelloop.core.errors import EditError, LevelLoopError

if TYPE_CHECKING:
    from levelloop.core.mesh.mesh import Mesh
    from levelloop.core.review import Report
    from levelloop.core.review.findings import Finding
    from levelloop.document.document import Document
    from levelloop.document.part import Part


class _FileFirst(click.Group):
    """A group whose first word may be a file instead of a command."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        words = [word for word in args if not word.startswith("-")]
        if words and words[0] not in self.commands and args[0] == words[0]:
            close = difflib.get_close_matches(words[0], self.commands, n=1, cutoff=0.7)
            if close and not Path(words[0]).suffix and not Path(words[0]).exists():
                raise click.UsageError(f'There is no command "{words[0]}"; did you mean "{close[0]}"?')
            args = ["open", *args]
        return super().parse_args(ctx, args)


@click.group(cls=_FileFirst, invoke_without_command=True)
@click.option("--demo", is_flag=True, help="Open the window with the demo document.")
@click.version_option(__version__, message="Level Loop %(version)s")
@click.pass_context
def cli(context: click.Context, demo: bool) -> None:
    """Level Loop: modeling for subdivision surfaces that measures how smooth they are."""
    if context.invoked_subcommand is None:
        _window(None, demo)


@cli.command("open", hidden=True)
@click.argument("file", type=click.Path(path_type=Path))
def open_file(file: Path) -> None:
    """Open the window on FILE."""
    _window(file, False)


@cli.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="Written by its ending.")
@click.option("--level", type=click.IntRange(0, 6), help="The part's own where none is given.")
@click.option("--limit", is_flag=True, help="Put the points on the limit surface.")
@click.option("--part", "part_name", help="One part only.")
def smooth(file: Path, output: Path, level: int | None, limit: bool, part_name: str | None) -> None:
    """Smooth FILE and write the surface."""
    parts = _chosen(_document(file), part_name)
    from levelloop.files import outputs_for

    _write(outputs_for(parts, output, level, True if limit else None if level is None else False), output)


@cli.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="Written by its ending.")
@click.option("--part", "part_name", help="One part only.")
@click.option("--plain", is_flag=True, help="Without the loops of hold steps.")
def convert(file: Path, output: Path, part_name: str | None, plain: bool) -> None:
    """Write the cages of FILE, unsmoothed, as another format, with the loops that their hold steps make."""
    from levelloop.files import is_document, write_document

    document = _document(file)
    if is_document(output) and part_name is None:
        write_document(document, output)
        _note(document, output)
        return
    parts = _chosen(document, part_name)
    _write([(part.name, part.to_world(part.mesh if plain else part.held_cage())) for part in parts], output)


@cli.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--for", "purpose", type=click.Choice(["smooth", "render", "print"]), default="smooth", show_default=True)
@click.option("--clearance", type=float, help="Millimetres that parts must stay apart.")
@click.option("--json", "as_json", is_flag=True, help="Print the findings as JSON.")
def review(file: Path, purpose: Any, clearance: float | None, as_json: bool) -> None:
    """Review FILE; exit 1 where it is not ready."""
    from levelloop.document.session import Session

    session = Session(_document(file))
    unit = session.document.unit
    reports = session.reports(purpose, clearance)
    ready = all(report.ready for _, report in reports)
    if as_json:
        parts = [_report_json(part, report) for part, report in reports]
        click.echo(json.dumps({"parts": parts, "purpose": purpose, "ready": ready}, indent=1))
    else:
        _print_reports(reports, purpose, ready, unit)
    sys.exit(0 if ready else 1)


@cli.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--part", "part_name", help="One part only.")
@click.option("--json", "as_json", is_flag=True, help="Print the measures as JSON.")
def measure(file: Path, part_name: str | None, as_json: bool) -> None:
    """Measure the smooth surfaces of FILE: sizes, area, volume, curvature, the smallest radius and where."""
    from levelloop.document.review.measuring import measured
    from levelloop.document.scripting.units import told_in

    document = _document(file)
    unit = document.unit
    parts = _chosen(document, part_name)
    found = [measured(part) for part in parts if part.stepped.n_faces or len(part.mesh.topology.wires)]
    if not found:
        raise EditError(f"{file.name} holds no surface to measure.")
    if as_json:
        click.echo(json.dumps({"parts": [one.as_json() for one in found]}, indent=1))
        return
    for one in found:
        size = " × ".join(f"{value:.4g}" for value in one.size)
        volume = "open" if one.volume is None else f"{one.volume:.6g} mm³"
        radius = "flat" if one.smallest_radius is None else f"smallest radius {one.smallest_radius:.4g} mm"
        place = "" if one.at is None else " at " + _place(one.at, unit)
        what = f"{one.area:.6g} mm², {volume}" if one.length is None else f"{one.length:.6g} mm long"
        click.echo(f"{one.name}: {told_in(f'{size} mm, {what}, {radius}', unit)}{place}")


@cli.command()
@click.argument("first", type=click.Path(path_type=Path))
@click.argument("second", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print the comparison as JSON.")
def compare(first: Path, second: Path, as_json: bool) -> None:
    """Compare the smooth surfaces of FIRST and SECOND, and what the review finds in each."""
    from levelloop.document.review.measuring import compared
    from levelloop.document.review.reviewing import reviewed_parts
    from levelloop.document.scripting.units import told_in

    documents = (_document(first), _document(second))
    whole, parts = compared(*documents)
    reports = {side: reviewed_parts(document) for side, document in zip("ab", documents, strict=True)}
    findings = {
        side: [
            {"part": part.name, **_finding_json(part.stepped, finding)}
            for part, report in found
            for finding in report.findings
        ]
        for side, found in reports.items()
    }
    if as_json:
        listed = [{"name": name, **asdict(deviation)} for name, deviation in parts]
        click.echo(json.dumps({**asdict(whole), "parts": listed, "findings": findings}, indent=1))
        return
    unit = documents[0].unit
    told = f"; mean {whole.mean:.4g} mm, rms {whole.rms:.4g} mm."
    click.echo(told_in(f"Largest {whole.largest:.4g} mm at {_place(whole.where, unit)}{told}", unit))
    for name, deviation in parts:
        click.echo(f"  {name}: {told_in(f'largest {deviation.largest:.4g} mm, mean {deviation.mean:.4g} mm', unit)}")
    for side, file in (("a", first), ("b", second)):
        click.echo(f"{file.name}: {len(findings[side])} findings")


@cli.command()
@click.argument("script", type=click.Path(path_type=Path))
@click.argument("file", required=False, type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="Written by its ending.")
def run(script: Path, file: Path | None, output: Path) -> None:
    """Run a SCRIPT of operations, on FILE or on an empty document."""
    from levelloop.document.scripting.script import read_script, run_script
    from levelloop.document.session import Session
    from levelloop.files import is_document, outputs_for

    steps = read_script(script)
    session = Session(_document(file)) if file else Session.new()
    run_script(session, steps)
    if is_document(output):
        session.save(output)
        _note(session.document, output)
    else:
        _write(outputs_for(_chosen(session.document, None), output), output)


@cli.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="A .png or .svg.")
@click.option("--size", type=click.IntRange(16, 16_384), default=2048, show_default=True, help="Pixels to a side.")
@click.option("--part", "part_name", help="One part only.")
def uv(file: Path, output: Path, size: int, part_name: str | None) -> None:
    """Draw the UV layout of FILE."""
    from levelloop.files.uv_layout import write_layout

    write_layout(output, [part.mesh for part in _chosen(_document(file), part_name)], size)


@cli.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="A .png or .exr.")
@click.option("--size", default="960x600", show_default=True, metavar="WxH", help="Pixels.")
@click.option("--samples", type=click.IntRange(1, 65_536), default=64, show_default=True, help="Rays a pixel.")
@click.option("--light", default="studio", show_default=True, help="studio, window, evening or even.")
@click.option("--camera", default="", help="One of the document's; all is framed where none is given.")
@click.option("--sharp", type=click.FloatRange(0), default=0.0, help="Millimetres of depth that are sharp; 0 for all.")
@click.option("--turn", type=click.IntRange(2, 3600), help="So many numbered pictures, once around.")
def still(
    file: Path, output: Path, size: str, samples: int, light: str, camera: str, sharp: float, turn: int | None
) -> None:
    """Render a picture of FILE, its parts at the levels they are given out at."""
    from levelloop.still.render import render
    from levelloop.still.scene import Request

    width, _, height = size.partition("x")
    if not (width.isascii() and width.isdigit() and height.isascii() and height.isdigit()):
        raise click.UsageError(f'A size is written WIDTHxHEIGHT, such as 960x600, not "{size}".')
    document = _document(file)
    request = Request(int(width), int(height), samples, light, camera, sharp=sharp)  # type: ignore[arg-type]
    for number in range(turn or 1):
        place = output if turn is None else output.with_stem(f"{output.stem}_{number + 1:0{len(str(turn))}d}")
        render(document, place, replace(request, turned=360.0 * number / (turn or 1)))


def _write(meshes: Sequence[tuple[str, Mesh]], output: Path) -> None:
    """Writes meshes, and says what the file says less exactly."""
    from levelloop.files import notes_on_meshes, write_meshes

    write_meshes(meshes, output)
    for note in notes_on_meshes(meshes, output):
        click.echo(note, err=True)


def _note(document: Document, path: Path) -> None:
    """Says on standard error what other programs will not find in the saved file."""
    from levelloop.files import notes_on

    for note in notes_on(document, path):
        click.echo(note, err=True)


def main() -> None:
    """Runs the command line and exits: 2 for a mistake, 3 for a defect of ours, 130 where it was interrupted.

    Each is one line on standard error; a defect's traceback is in the log.
    """
    signal.signal(signal.SIGINT, _interrupt)
    try:
        cli.main(standalone_mode=False)
        sys.stdout.flush()
    except click.exceptions.Exit as stop:
        sys.exit(stop.exit_code)
    except (click.Abort, _InterruptedError):
        _fail("Interrupted.", 130)
    except click.ClickException as error:
        _fail(error.format_message())
    except LevelLoopError as error:
        _fail(str(error))
    except BrokenPipeError:
        # Whoever read has stopped; what Python flushes at its end must not complain either.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    except (MemoryError, RecursionError) as error:
        _fail(f"That needs more than this machine has ({type(error).__name__}).")
    except Exception as error:
        _fail(_told_defect(error), 3)


# Helpers


class _InterruptedError(BaseException):
    """Ctrl+C; not a KeyboardInterrupt, for which the library puts an empty line first."""


def _interrupt(*_: object) -> None:
    raise _InterruptedError


def _fail(sentence: str, code: int = 2) -> None:
    line = " ".join(sentence.split())
    click.echo(line.encode("utf-8", "replace").decode("utf-8"), err=True)
    sys.exit(code)


def _told_defect(error: Exception) -> str:
    """Writes a defect into the log; returns what to say about it."""
    import logging

    from levelloop.files.log import keep_log

    path = keep_log()
    logging.getLogger("levelloop").error("a defect", exc_info=error)
    return f"That is a defect of Level Loop ({type(error).__name__}); the details are in {path}."


def _window(file: Path | None, demo: bool) -> None:
    # Nothing of what is loaded is garbage: looking through it time and again would take a tenth of the start.
    gc.disable()
    document = None
    if demo:
        from levelloop.demo.beside import demo_beside

        document = demo_beside()
    # What takes no part in drawing comes first: the toolkit looks at every import that follows its own.
    import levelloop.document.session  # noqa: F401
    from levelloop.app.main import open_window

    sys.exit(open_window(file, document))


def _document(file: Path) -> Document:
    from levelloop.files import read_document

    return read_document(file)


def _chosen(document: Document, name: str | None) -> list[Part]:
    if name is not None:
        return [document.by_name(name)]
    return list(document.given_out)


def _place(at: Iterable[float], unit: str) -> str:
    from levelloop.document.scripting.units import MILLIMETRES, format_number

    return ", ".join(format_number(float(f"{value / MILLIMETRES[unit]:.4g}")) for value in at)


def _print_reports(reports: list[tuple[Part, Report]], purpose: str, ready: bool, unit: str) -> None:
    from levelloop.document.scripting.units import told_in

    marks = {"stop": "■", "warn": "▲", "note": "●"}
    for part, report in reports:
        counts = report.counts
        click.echo(
            f"{part.name}: {counts.points} points, {counts.edges} edges, {counts.faces} faces "
            f"({counts.quads} quads, {counts.triangles} triangles, {counts.ngons} n-gons)"
        )
        for finding in report.findings:
            told = f"{finding.message} {finding.advice}".rstrip()
            click.echo(f"  {marks[finding.severity]} {told_in(told, unit)}")
    click.echo(f"Ready to {purpose}." if ready else f"Not ready to {purpose}.")


def _report_json(part: Part, report: Report) -> dict[str, Any]:
    from levelloop.core.review import count

    # The cage's own, but for its poles: what the recipe adds decides whether a point at a rim is one.
    cage = count(part.mesh)
    counts = replace(cage, poles=report.counts.poles, boundary_poles=report.counts.boundary_poles)
    return {
        "name": part.name,
        "cage": {
            "points": counts.points,
            "edges": counts.edges,
            "faces": counts.faces,
            "triangles": counts.triangles,
            "quads": counts.quads,
            "ngons": counts.ngons,
            "poles": {str(valence): number for valence, number in counts.poles.items()},
            "boundary_poles": {str(valence): number for valence, number in counts.boundary_poles.items()},
            "open_edges": counts.open_edges,
            "shells": counts.shells,
            "euler": counts.euler,
        },
        "findings": [_finding_json(part.stepped, finding) for finding in report.findings],
    }


def _finding_json(mesh: Mesh, finding: Finding) -> dict[str, Any]:
    indices = finding.indices
    named = mesh.topology.edges[indices].tolist() if finding.kind == "edges" else indices.tolist()
    return {
        "check": finding.check,
        "severity": finding.severity,
        "where": {"mesh": finding.mesh, "kind": finding.kind, "indices": named, "at": finding.at.tolist()},
        "count": finding.count,
        "value": finding.value,
        "unit": finding.unit,
        "message": finding.message,
        "remedy": finding.remedy.key if finding.remedy else None,
        "accepted": finding.accepted or None,
    }


if __name__ == "__main__":
    main()
