"""Small pictures of found places, and findings that stand together by what lies behind them."""

from __future__ import annotations

import ast
from pathlib import Path

import numpy as np
from driving import Hands, needs_screen
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtWidgets import QLabel

from levelloop.app.panels.review.finding_rows import Head, PlacePicture
from levelloop.app.panels.review.sketch import FACES, sketched
from levelloop.core.forms.primitives import box
from levelloop.core.review.findings import SEVERITIES, Finding
from levelloop.core.review.why import CAUSES, WHY, cause_of
from levelloop.document.document import Document, new_part
from levelloop.document.part import Part

ROOT = Path(__file__).parent.parent


def finding(kind: str, indices: list[int], at: np.ndarray, check: str = "poles") -> Finding:
    return Finding(check, "warn", kind, np.array(indices), at, "", 0.0)  # type: ignore[arg-type]


def part_of(cells: int, size: float = 10.0) -> Part:
    return new_part(Document(), box((size, size, size), (cells, cells, cells)), "box")


@settings(deadline=None)
@given(cells=st.integers(1, 5), size=st.floats(0.01, 1e4), which=st.integers(0, 10_000))
def test_a_found_place_lies_in_its_picture(cells: int, size: float, which: int) -> None:
    part = part_of(cells, size)
    mesh = part.mesh
    for kind, places in (
        ("points", mesh.points),
        ("edges", mesh.points[mesh.topology.edges].mean(axis=1)),
        ("faces", mesh.points[mesh.topology.corners.reshape(-1, 4)].mean(axis=1)),
    ):
        index = which % len(places)
        sketch = sketched(part, finding(kind, [index], places[index : index + 1]))
        (mark,) = sketch.marks
        assert np.abs(mark).max() <= 0.5 + 1e-9
        # What is found is seen from outside: some face around it is lit.
        assert sketch.tones.max() > 0.45
        assert len(sketch.faces) == min(mesh.n_faces, FACES)


def test_what_belongs_to_a_mesh_of_before_is_marked_by_its_places() -> None:
    sketch = sketched(part_of(1), finding("faces", [999], np.array([[5.0, 0.0, 0.0]])))
    assert [len(mark) for mark in sketch.marks] == [1]


def test_every_check_has_one_cause() -> None:
    named = [check for _, checks in CAUSES for check in checks]
    assert len(named) == len(set(named)) and set(named) == set(WHY)
    # Those that name their check where they find something.
    made = {
        call.args[0].value
        for path in (ROOT / "src").rglob("*.py")
        for call in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(call, ast.Call)
        and getattr(call.func, "id", "") == "Finding"
        and call.args
        and isinstance(call.args[0], ast.Constant)
    }
    assert made and made <= set(named)


@needs_screen
def test_findings_stand_by_severity_then_by_cause(demo: Hands) -> None:
    review = demo.window.review
    demo.review()
    for part in demo.session.document.parts:
        found = [one for part_id, one in review.rows if part_id == part.id]
        order = [(bool(one.accepted), SEVERITIES.index(one.severity), cause_of(one.check)) for one in found]
        assert order == sorted(order)


@needs_screen
def test_what_is_accepted_stands_apart_with_its_reason(demo: Hands) -> None:
    demo.session.set_active("lumpy jar")
    demo.review()
    review = demo.window.review
    part_id, found = next((part_id, one) for part_id, one in review.rows if one.check == "jump")
    demo.session.accept(found, "a thumb fits there")
    demo.review()
    heads = [head.text() for head in review.findChildren(Head) if head.isVisible()]
    assert heads[0] == "lumpy jar   ▲ 3" and "✓ 1 accepted" in heads
    last = [row for row, (one, _) in enumerate(review.rows) if one == part_id][-1]
    assert review.words(last).endswith("Accepted: a thumb fits there")
    next(head for head in review.findChildren(Head) if head.text() == "✓ 1 accepted").click()
    shown = [one.text() for one in review.findChildren(QLabel) if one.isVisible()]
    assert any("a thumb fits there" in one for one in shown)


@needs_screen
def test_a_finding_shows_where_it_is(demo: Hands) -> None:
    bracket = next(part for part in demo.session.document.parts if part.name == "hive bracket")
    demo.session.set_active(bracket.id)
    demo.review()
    pictures = [one for one in demo.window.review.findChildren(PlacePicture) if one.isVisible()]
    assert len(pictures) >= 3
    image = pictures[0].grab().toImage()
    colours = {image.pixel(x, y) for x in range(image.width()) for y in range(image.height())}
    assert len(colours) > 20
