"""Materials: made, renamed, kept in files that others read, seen in the view."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from driving import Hands, needs_screen
from hypothesis import given
from hypothesis import strategies as st
from pxr import Usd, UsdShade
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor

from levelloop.app.view.render.picture import make_picture
from levelloop.core.errors import EditError
from levelloop.document.materials import SHIPPED, Material, material_named
from levelloop.document.session import Session
from levelloop.files.usd.materials import colour_of, linear_of


def test_a_material_begins_as_the_shipped_one_and_is_renamed_everywhere() -> None:
    session = Session.new()
    for name in ("crate", "lid"):
        session.do("add_box", name=name)
        session.do("set_material", material="brass")
    session.do("material", name="brass", roughness=0.7)
    shipped = material_named((), "brass")
    (made,) = session.document.materials
    assert (made.colour, made.metalness, made.roughness) == (shipped.colour, 1.0, 0.7)
    session.do("material", name="brass", rename="old brass")
    assert [part.mesh.materials for part in session.document.parts] == [("old brass",)] * 2
    assert [one.name for one in session.document.materials] == ["old brass"]
    session.do("material", name="wood")
    with pytest.raises(EditError, match="already"):
        session.do("material", name="wood", rename="old brass")
    with pytest.raises(EditError, match="has a name"):
        session.do("material")
    for wrong in ({"roughness": 2}, {"colour": "mauve"}, {"refraction": 0.2}, {"glow": -1}):
        with pytest.raises(EditError):
            session.do("material", name="wood", **wrong)  # type: ignore[arg-type]
    session.undo()
    session.undo()
    assert session.part.mesh.materials == ("brass",)


shares = st.floats(0, 1).map(lambda value: round(value, 4))


@given(
    st.text(st.characters(categories=["L", "N", "Zs"]), min_size=1, max_size=12).map(str.strip).filter(bool),
    st.integers(0, 0xFFFFFF),
    shares,
    shares,
    shares,
    st.floats(1, 9).map(lambda value: float(f"{value:.4g}")),
    st.floats(0, 50).map(lambda value: round(value, 3)),
    st.sampled_from(["", "cloth.png", "/made/up/cloth.png"]),
)
def test_what_is_saved_comes_back(
    tmp_path_factory: pytest.TempPathFactory,
    name: str,
    colour: int,
    roughness: float,
    metalness: float,
    opacity: float,
    refraction: float,
    glow: float,
    image: str,
) -> None:
    session = Session.new()
    session.do("add_box")
    session.do("set_material", material=name)
    session.do(
        "material",
        name=name,
        colour=f"#{colour:06X}",
        roughness=roughness,
        metalness=metalness,
        opacity=opacity,
        refraction=refraction,
        glow=glow,
        image=image,
    )
    path = session.save(tmp_path_factory.mktemp("made") / "box.usda")
    assert Session.open(path).document.materials == session.document.materials


def test_other_readers_find_a_preview_surface_bound_to_the_faces(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box")
    session.select(faces=[0, 1])
    session.do("set_material", material="brass")
    session.select(faces=[2])
    session.do("set_material", material="of my own")
    session.do("material", name="of my own", colour="#808080", roughness=0.25, image="cloth.png")
    path = session.save(tmp_path / "box.usda")
    stage = Usd.Stage.Open(str(path))
    found = {}
    for prim in stage.Traverse():
        if prim.IsA(UsdShade.Material):
            shader = UsdShade.Material(prim).ComputeSurfaceSource()[0]
            assert shader.GetIdAttr().Get() == "UsdPreviewSurface"
            found[prim.GetDisplayName()] = shader
    assert set(found) == {"brass", "of my own"}
    assert found["brass"].GetInput("metallic").Get() == 1.0
    assert found["of my own"].GetInput("roughness").Get() == 0.25
    # 50 % grey of sRGB is 0.2158605 of the light (IEC 61966-2-1).
    assert found["of my own"].GetInput("diffuseColor").GetAttr().Get()[0] == pytest.approx(0.2158605, abs=1e-6)
    # A shipped one is not the document's own.
    assert [one.name for one in Session.open(path).document.materials] == ["of my own"]


@given(st.integers(0, 0xFFFFFF))
def test_colours_survive_being_light(number: int) -> None:
    assert colour_of(linear_of(f"#{number:06X}")) == f"#{number:06X}"


def test_the_shipped_ones_are_plain_and_apart() -> None:
    names = [one.name for one in SHIPPED]
    assert len(set(names)) == len(names) >= 9
    assert all(0 <= one.roughness <= 1 and 0 <= one.metalness <= 1 and 0 < one.opacity <= 1 for one in SHIPPED)
    assert material_named((), "no such thing") == Material("no such thing")


@given(st.integers(0, 2), st.lists(st.integers(0, 53), max_size=20, unique=True))
def test_triangles_are_grouped_by_material(level: int, faces: list[int]) -> None:
    session = Session.new()
    session.do("add_box", cells=(3, 3, 3))
    if faces:
        session.select(faces=faces)
        session.do("set_material", material="brass")
    session.add_step("mirror", planes="x")
    picture = make_picture(session.part, level > 0, level=level)
    if not faces:
        assert picture.groups == ()
        return
    assert sum(count for _, _, count in picture.groups) == len(picture.indices)
    for number, first, count in picture.groups:
        source = picture.built.trace.source.faces
        owner = picture.triangle_face[first : first + count]
        own = owner[owner >= 0]
        assert (session.part.mesh.material[own] == number).all()
        assert len(source) >= len(own) // 2
    again = make_picture(session.part, level > 0, picture, level, quick=True)
    assert again.groups == picture.groups and np.array_equal(again.triangle_face, picture.triangle_face)


@needs_screen
def test_the_view_shows_materials_and_a_changed_one_at_once(empty: Hands) -> None:
    empty.session.do("add_box", size=(40, 40, 40))
    empty.session.do("set_material", material="paint")
    empty.session.do("material", name="paint", colour="#CC2222", roughness=1.0)
    empty.view.look("front")
    # Clay stays what forms are judged by, until one asks.
    empty.settle()
    clay = empty.view.grabFramebuffer()
    empty.key(Qt.Key.Key_I)
    empty.key(Qt.Key.Key_A)
    assert empty.view.look_of.materials and empty.view.grabFramebuffer() != clay
    empty.view.frame(everything=True)
    empty.settle()
    middle = empty.view.rect().center() + QPoint(30, 60)

    def seen() -> QColor:
        return QColor(empty.view.grabFramebuffer().pixel(middle))

    assert seen().hue() == pytest.approx(QColor("#CC2222").hue(), abs=6)
    empty.session.do("material", name="paint", colour="#2233CC")
    empty.settle()
    assert seen().hue() == pytest.approx(QColor("#2233CC").hue(), abs=6)
    solid = seen()
    empty.session.do("material", name="paint", opacity=0.2)
    empty.settle()
    assert seen() != solid
    empty.session.do("set_material", material="")
    empty.settle()
    assert seen().saturation() < 60
