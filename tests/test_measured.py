"""Measured numbers: in the document's unit, of the part as it stands in the world, with the wanted decimals."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from click.testing import CliRunner
from driving import Hands, needs_screen
from hypothesis import given
from hypothesis import strategies as st

from levelloop.app.commands.shell.signs import grids
from levelloop.app.measured import area_told, length_told, lengths_told, set_decimals
from levelloop.app.panels.readout import readout
from levelloop.app.preferences import Preferences
from levelloop.app.view.camera import Camera
from levelloop.cli import cli
from levelloop.core.errors import EditError
from levelloop.document.scripting.units import MILLIMETRES, parse_length, told_in
from levelloop.document.session import Session


@pytest.fixture(autouse=True)
def as_it_came() -> Iterator[None]:
    yield
    set_decimals(4)


@given(st.floats(-1e6, 1e6), st.sampled_from(sorted(MILLIMETRES)), st.integers(0, 4))
def test_what_is_told_is_off_by_half_its_last_decimal(length: float, unit: str, decimals: int) -> None:
    set_decimals(decimals)
    told = length_told(length, unit)
    assert told.endswith(f" {unit}") and len(told.split()[0].partition(".")[2]) <= decimals
    away = abs(parse_length(told) - length) / MILLIMETRES[unit]
    assert away <= 0.5 * 10.0**-decimals * (1 + 1e-6) + 1e-9 * abs(length)


def test_areas_and_places_have_the_unit_too() -> None:
    assert area_told(100.0, "cm") == "1 cm²"
    assert lengths_told((25.4, 12.7, 0.0), "in", ", ") == "1, 0.5, 0 in"


def test_the_selection_is_measured_where_it_stands_and_in_the_unit() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20))
    session.do("set_unit", unit="cm")
    session.select(faces=[0])
    assert "4 cm²" in readout(session.state, None, "faces", Camera())
    session.select(edges=[session.part.mesh.topology.edges[0].tolist()])
    assert "2 cm long" in readout(session.state, None, "edges", Camera())
    session.select(points=[0])
    assert "at -1, -1, " in readout(session.state, None, "points", Camera())


@needs_screen
def test_the_settings_say_how_many_decimals(empty: Hands) -> None:
    empty.session.do("add_cylinder", diameter=20, height=10, sides=16)
    empty.session.select(edges=[(0, 1)])
    strip = empty.window.strip.readout
    assert "3.9018 mm long" in strip.text()
    settings = empty.window.shell.show_settings()
    box = settings.boxes["decimals"]
    box.setCurrentIndex(box.findData(1))
    box.activated.emit(box.currentIndex())
    assert "3.9 mm long" in strip.text()
    assert Preferences.load().decimals == 1
    settings.close()


@needs_screen
def test_what_the_review_finds_is_told_in_the_unit(empty: Hands) -> None:
    empty.session.do("set_unit", unit="in")
    empty.session.do("add_plane", size=(254, 254), cells=(2, 2))
    empty.session.select(points=[4])
    empty.session.do("move", by=("0 in", "0 in", "5 in"))
    empty.session.do("add_box", size=(100, 100, 100), at=(90, 0, 0), name="box {0}")
    panel, window = empty.window.review, empty.window

    def told() -> list[str]:
        empty.qtbot.waitUntil(lambda: not window.reviewing.is_waiting and bool(panel.rows), timeout=10_000)
        return [panel.words(row) for row in range(len(panel.rows))]

    found = next(one for one in told() if "not flat" in one or "goes through" in one)
    assert found.endswith((" in.", " in deep."))
    assert not any(" mm" in one for one in told())
    # A length in a file and for a script is what it was: millimetres.
    assert any(" mm" in one.message for one in empty.session.review())
    assert any("box {0}" in one.message for one in empty.session.review())


@pytest.mark.parametrize(
    ("said", "told"),
    [
        ("Supports at 25.4 mm.", "Supports at 1 in."),
        ("Supports at 12.7 to 25.4 mm, 2 edges.", "Supports at 0.5 to 1 in, 2 edges."),
        ("The smooth surface is 25.4 × 50.8 × 1e-05 mm.", "The smooth surface is 1 × 2 × 0.000000394 in."),
        (
            "Level 3 turns; 1,234 faces and 3.81 mm beside “bolt 5 mm”.",
            "Level 3 turns; 1,234 faces and 0.15 in beside “bolt 5 mm”.",
        ),
        ("25.4 and 50.8 mm and 1290.32 mm², but 5 1/mm.", "1 and 2 in and 2 in², but 5 1/mm."),
        ("It holds 32774.128 mm³.", "It holds 2 in³."),
        ("Off by 1.27e+03 mm.", "Off by 50 in."),
        ("Nothing to tell.", "Nothing to tell."),
    ],
)
def test_sentences_of_millimetres_are_told_in_the_unit(said: str, told: str) -> None:
    assert told_in(said, "in") == told and told_in(said, "mm") == said.replace("1e-05", "0.00001").replace(
        "1.27e+03", "1270"
    )


@given(st.floats(1e-6, 1e6), st.sampled_from(sorted(MILLIMETRES)), st.integers(3, 6))
def test_a_length_in_a_sentence_is_the_same_in_every_unit(length: float, unit: str, digits: int) -> None:
    said = f"It is off by {length:.{digits}g} mm."
    told = told_in(said, unit)
    assert told.endswith(f" {unit}.") and "e" not in told.split()[4]
    assert parse_length(told.removeprefix("It is off by ").removesuffix(".")) == pytest.approx(length, rel=0.011)


def test_what_operations_say_and_refuse_is_told_in_the_unit() -> None:
    session = Session.new()
    session.do("set_unit", unit="in")
    session.do("add_box", size=("1 in", "1 in", "1 in"), cells=(2, 2, 2))
    said = []
    for radius in ("0.02 in", "0.9 in"):
        session.select_where("edges", angle_over=60)
        try:
            said.append(session.do("hold", radius=radius))
        except EditError as error:
            said.append(str(error))
    assert "Supports at" in said[0] and "the largest radius that fits is" in said[1]
    assert all(" in" in one and " mm" not in one for one in said), said


def test_the_command_line_tells_in_the_unit_of_the_document(tmp_path: Path) -> None:
    sizes = {"one": "2 in", "other": "4 in"}
    for name, size in sizes.items():
        session = Session.new()
        session.do("set_unit", unit="in")
        session.do("add_box", size=(size, size, size), cells=(2, 2, 2), name="bolt 5 mm")
        session.do("add_plane", size=("40 in", "40 in"), cells=(2, 2), at=("0 in", "0 in", "20 in"))
        session.select(points=[4])
        session.do("move", by=("0 in", "0 in", "5 in"))
        session.save(tmp_path / f"{name}.usda")
    told = {
        command: CliRunner().invoke(cli, [command, *(str(tmp_path / f"{name}.usda") for name in names)]).output
        for command, names in (("review", ["one"]), ("measure", ["one"]), ("compare", ["one", "other"]))
    }
    # What is called so stays; all else is in inches.
    assert not any(" mm" in text.replace("bolt 5 mm", "") for text in told.values()), told
    size, area = r"bolt 5 mm: 2 × 2 × 2 in", r"\d+\.\d+ in², \d\.\d+ in³, smallest radius \d\.\d+ in at"
    assert re.search(f"{size}, {area}", told["measure"])
    assert re.search(r"^Largest \d\.\d+ in at .*; mean \d\.\d+ in, rms \d\.\d+ in\.$", told["compare"], re.MULTILINE)
    assert re.search(r" \d+(\.\d+)? in\b", told["review"])


@pytest.mark.parametrize("unit", sorted(MILLIMETRES))
def test_grids_are_even_numbers_of_the_unit_and_near_a_millimetre(unit: str) -> None:
    steps = grids(unit)
    assert len({f"{step / MILLIMETRES[unit]:g}".strip("0.") for step in steps}) == 2
    assert 0.2 < steps[0] * 10.0 < 4 and steps[-1] == pytest.approx(100.0 * steps[0])
