"""Building the demo document from its scripts."""

from __future__ import annotations

import json
from dataclasses import replace
from importlib.resources import files

from levelloop.document.cameras import NamedCamera
from levelloop.document.document import Document, Guide
from levelloop.document.materials import Material
from levelloop.document.scripting.script import run_script
from levelloop.document.session import Session

SCRIPTS = (
    "good_jar",
    "hive_bracket",
    "jar_lid",
    "bellows",
    "spout",
    "shelf_bracket",
    "bee_head",
    "dipper",
    "hose",
    "workbench",
    "lumpy_jar",
    "strap",
    "honeycomb",
    "tube",
    "window",
)
GROUPS = {
    "good jar": "table",
    "jar lid": "table",
    "lumpy jar": "table",
    "dipper": "table",
    "hive bracket": "hive",
    "shelf bracket": "hive",
    "bolt": "hive",
    "block": "hive",
    "second block": "hive",
    "bellows": "smoker",
    "smoker can": "smoker",
    "spout": "smoker",
    "hose": "smoker",
    "bee head": "bee",
    "workbench": "bench",
    "strap": "smoker",
    "strap way": "smoker",
    "honeycomb": "table",
    "tube": "table",
}
# What is none of the shipped materials.
MATERIALS = (
    Material("tin", "#B3B0A6", 0.34, 1.0),
    Material("zinc", "#9DA4A8", 0.42, 1.0),
    Material("painted steel", "#5F7F78", 0.32),
    Material("leather", "#7B4A2C", 0.62),
    Material("wax", "#D9962B", 0.3),
    Material("eye", "#17181B", 0.08),
)
# Drawings of the bee: the image, its view, width and place of its middle in mm; both 84 mm high.
GUIDES = (("bee_front", "front", 70.0, (-85.0, 42.0)), ("bee_side", "right", 98.0, (-95.0, 42.0)))


# From where the bench is pictured.
BENCH = NamedCamera("bench", (45.0, -20.0, 36.0), 500.0, 14.0, 18.0, True, 30.0)


def demo_document() -> Document:
    """The beekeeper's workshop so far: jars, lid and dipper, brackets and bolt, smoker, the bee's head, the bench."""
    session = Session.new()
    for name in SCRIPTS:
        text = files("levelloop.demo").joinpath(f"{name}.json").read_text(encoding="utf-8")
        run_script(session, json.loads(text))
    document = session.document
    parts = tuple(replace(part, group=GROUPS.get(part.name, part.group)) for part in document.parts)
    return replace(
        document,
        parts=parts,
        active=parts[0].id,
        materials=MATERIALS,
        cameras=(BENCH,),
        guides=tuple(_guide(*guide) for guide in GUIDES),
    )


def _guide(name: str, view: str, width: float, at: tuple[float, float]) -> Guide:
    data = files("levelloop.demo").joinpath(f"{name}.svg").read_bytes()
    return Guide(name.replace("_", ", "), f"{name}.svg", view, width, at, data=data)
