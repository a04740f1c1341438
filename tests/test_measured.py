"""Measured numbers: in the document's unit, of the part as it stands in the world, with the wanted decimals."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from driving import Hands, needs_screen
from hypothesis import given
from hypothesis import strategies as st

from levelloop.app.measured import area_told, length_told, lengths_told, set_decimals
from levelloop.app.panels.readout import readout
from levelloop.app.preferences import Preferences
from levelloop.app.view.camera import Camera
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
