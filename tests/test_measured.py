"""Measured numbers: in the document's unit, of the part as it stands in the world, with the wanted decimals."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import pytest
from driving import Hands, needs_screen
from hypothesis import given
from hypothesis import strategies as st

from levelloop.app.commands.shell.signs import grids
from levelloop.app.measured import area_told, length_told, lengths_told, roughly_told, set_decimals
from levelloop.app.panels.readout import readout
from levelloop.app.preferences import Preferences
from levelloop.app.view.camera import Camera
from levelloop.core.words import Told
from levelloop.document.scripting.units import MILLIMETRES, parse_length
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


def test_a_length_that_was_found_is_the_same_in_every_unit() -> None:
    said = Told("The loops are ", 25.4, " and ", 12.7, " away.")
    assert str(said) == "The loops are 25.4 mm and 12.7 mm away."
    for unit, words in (("in", "1 in and 0.5 in"), ("cm", "2.54 cm and 1.27 cm"), ("m", "0.0254 m and 0.0127 m")):
        assert said.told(partial(roughly_told, unit=unit)) == f"The loops are {words} away."


@pytest.mark.parametrize("unit", sorted(MILLIMETRES))
def test_grids_are_even_numbers_of_the_unit_and_near_a_millimetre(unit: str) -> None:
    steps = grids(unit)
    assert len({f"{step / MILLIMETRES[unit]:g}".strip("0.") for step in steps}) == 2
    assert 0.2 < steps[0] * 10.0 < 4 and steps[-1] == pytest.approx(100.0 * steps[0])
