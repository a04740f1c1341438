"""Random recipes and random operations by hand and script: what may never raise anything but a sentence.

`python tests/random_work.py recipes SEED COUNT` and `… operations SEED COUNT` run as many as one has patience for.
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

import levelloop as ll
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.mesh import Mesh
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters.base import Parameter
from levelloop.document.parameters.numbers import Number
from levelloop.document.parameters.places import Curve, Lengths, PlaneOf, Points, Rims, Sizes, Vector
from levelloop.document.parameters.words import Choice, Colour, GroupName, PartName, Text, Toggle
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.files import MESH_WRITERS

MOST_FACES = 6_000  # before smoothing: more says nothing else and takes long
SLOW = 20.0  # seconds
KINDS = ("points", "edges", "faces")
NO_HANDS = ("add_guide", "select_set", "quit")


class Trial:
    """Runs things and keeps what went wrong: what was raised, not finite, or slow, with what led to it."""

    def __init__(self) -> None:
        self.counts: Counter[str] = Counter()
        self.faults: list[str] = []

    def run(self, what: str, story: object, work: Callable[[], Any]) -> Any:
        """What some work comes to; None where it is refused in a sentence, or was a fault."""
        start = time.perf_counter()
        try:
            result = work()
        except LevelLoopError as refusal:
            self.counts[f"{what} refused"] += 1
            if not str(refusal).strip():
                self.faults.append(f"{what}: a refusal without a word\n  {story}")
            return None
        except Exception as error:
            # Whatever else is raised is what is looked for.
            place = next(f for f in reversed(traceback.extract_tb(error.__traceback__)) if "levelloop" in f.filename)
            at = f"{place.filename.split('levelloop/')[-1]}:{place.lineno}"
            self.faults.append(f"{what}: {type(error).__name__} {at} {str(error)[:80]}\n  {story}")
            return None
        self.counts[what] += 1
        if time.perf_counter() - start > SLOW:
            self.faults.append(f"{what}: over {SLOW:g} s\n  {story}")
        return result

    def holds(self, what: str, story: object, is_so: bool) -> None:
        """Keeps what is not so."""
        if not is_so:
            self.faults.append(f"{what}\n  {story}")


# Values


def some_value(hand: random.Random, parameter: Parameter, session: ll.Session) -> Any:
    """A value that a parameter may be given, now and then one that it may not."""
    if parameter.optional and hand.random() < 0.3:
        return None
    lengths = (0.0, 0.001, 0.5, 1.0, 3.0, -2.0, 12.0)
    match parameter:
        case Toggle():
            return hand.random() < 0.5
        case Choice():
            return hand.choice(parameter.words)
        case Curve():
            return hand.choice((*_names(session), ((0, 0, 0), (0, 10, 30), (10, 10, 60))))
        case GroupName():
            return hand.choice(("hive", "hive/frame", ""))
        case PartName():
            return hand.choice((*_names(session), "nobody"))
        case Colour():
            return hand.choice(("#C9B48A", "blue"))
        case Number() if parameter.measure == "angle":
            return hand.choice((0.0, 30.0, 90.0, 180.0, 360.0, -45.0, 7.5))
        case Number() if parameter.measure == "length":
            return hand.choice(lengths)
        case Number():
            return hand.choice((0, 1, 2, 3, 0.5, 5, 8, -1))
        case Vector() | Sizes():
            return tuple(hand.choice(lengths) for _ in range(3))
        case PlaneOf():
            return hand.choice(("x", "y", "z", ((1, 2, 3), (0, 1, 1))))
        case Points():
            return [tuple(hand.uniform(-20, 20) for _ in range(3)) for _ in range(hand.randint(1, 4))]
        case Lengths():
            return [hand.choice(lengths) for _ in range(hand.randint(1, 4))]
        case Rims():
            return [(hand.choice(lengths), hand.choice(lengths)) for _ in range(hand.randint(1, 3))]
        case Text():
            return hand.choice(("rim", "a word", ""))
    return parameter.default


def _names(session: ll.Session) -> list[str]:
    return [part.name for part in session.document.parts]


def some_values(hand: random.Random, parameters: tuple[Parameter, ...], session: ll.Session) -> dict[str, Any]:
    """Values for some of the parameters; the others keep their defaults."""
    given = (one for one in parameters if hand.random() < 0.5 or one.default is None)
    return {one.name: some_value(hand, one, session) for one in given}


FORMS = (
    ("add_box", {"size": (20, 30, 10), "cells": (2, 3, 1)}),
    ("add_cylinder", {"diameter": 20, "height": 30, "sides": 12, "caps": "quads"}),
    ("add_cylinder", {"diameter": 20, "height": 30, "sides": 8, "cells": 3, "caps": "open"}),
    ("add_cone", {"bottom": 20, "top": 0, "height": 20, "sides": 8}),
    ("add_tube", {"outer": 30, "inner": 20, "height": 12, "sides": 12}),
    ("add_torus", {"diameter": 30, "thickness": 8, "sides": 12, "around": 6}),
    ("add_sphere", {"diameter": 20, "sides": 8, "rows": 4}),
    ("add_quad_sphere", {"diameter": 20, "cells": 3}),
    ("add_geodesic", {"diameter": 20, "splits": 1}),
    ("add_disc", {"diameter": 20, "sides": 8, "fill": "face"}),
    ("add_plane", {"size": (20, 30), "cells": (4, 3)}),
    ("add_line", {"points": ((4, 0, 0), (9, 0, 6), (5, 0, 15))}),
    ("add_curve", {"points": ((4, 0, 0), (9, 0, 6), (5, 0, 15), (7, 0, 20)), "radii": 2}),
    ("add_point", {"at": (3, 4, 5)}),
)


def bench(hand: random.Random) -> tuple[ll.Session, list[Any]]:
    """A session with helpers that steps may name, and one form, its folds kept as the set "rim"."""
    session = ll.Session.new()
    session.do("add_plane", size=(200, 200), cells=(6, 6), name="ground", at=(0, 0, -30))
    session.do("add_quad_sphere", diameter=30, cells=2, name="ball", at=(8, 3, 2))
    session.do("add_curve", points=((0, 0, 0), (0, 10, 30), (10, 10, 60)), kind="smooth", name="way")
    for name in ("ground", "ball", "way"):
        session.do("set_part", part=name, helper=True)
    key, values = hand.choice(FORMS)
    session.do(key, name="it", **values)
    story: list[Any] = [(key, values)]
    session.select_where("edges", angle_over=40)
    if len(session.selection):
        session.do("keep_set", name="rim")
        if hand.random() < 0.3:
            session.do("crease", weight=hand.choice((1, 2.5, 10)))
            story.append("creased")
    session.select_none()
    return session, story


# Recipes


def try_recipe(trial: Trial, seed: int, folder: Path, looked_at: Callable[[Any], object] | None = None) -> None:
    """One random recipe: made, sampled, measured, reviewed, exported, saved, opened and baked.

    looked_at: what makes a picture of a part.
    """
    hand = random.Random(seed)
    session, story = bench(hand)
    for _ in range(hand.randint(1, 6)):
        key = hand.choice([key for key, kind in STEPS.items() if kind.run is not None or key == "smooth"])
        values = some_values(hand, STEPS[key].parameters, session)
        if STEPS[key].names_parts:
            values |= {name: hand.choice(("ground", "ball", "way")) for name in STEPS[key].names_parts}
        if "set" in {one.name for one in STEPS[key].parameters}:
            values["set"] = "rim"
        story.append((key, values))
        trial.run("step", story, lambda key=key, values=values: session.add_step(key, **values))
    session.do("set_level", level=hand.choice((0, 1, 2, 3)))
    part = session.part
    trial.holds("a step that is left out by a defect", story, not _defects(part.plain.troubles))
    if part.stepped.n_faces > MOST_FACES:
        trial.counts["too large"] += 1
        return
    for stop in part.plain.stops:
        trial.run("trace", story, lambda stop=stop: stop.route.trace)
    for level in range(5 if part.stepped.n_faces < 1_000 else 3):
        samples = trial.run("surface", story, lambda level=level: part.surface(level))
        if samples is not None:
            arrays = (samples.points, samples.normals, samples.k1, samples.k2, samples.d1, samples.d2)
            trial.holds("a surface that is not finite", story, all(np.isfinite(one).all() for one in arrays))
        if looked_at is not None:
            trial.run("picture", story, lambda level=level: looked_at(part))
    mesh = trial.run("result", story, lambda: session.part.output())
    trial.run("measure", story, session.measure)
    for purpose in ("smooth", "render", "print"):
        trial.run("review", story, lambda purpose=purpose: session.review(purpose))
    for ending in MESH_WRITERS if mesh is not None else ():
        trial.run("export", story, lambda ending=ending: ll.write({"it": mesh}, folder / f"out{ending}"))
    trial.run("save", story, lambda: session.save(folder / "it.usda"))
    opened = trial.run("open", story, lambda: ll.Session.open(folder / "it.usda"))
    trial.holds("a document that is not saved", story, opened is not None and _names(opened) == _names(session))
    trial.run("bake", story, lambda: session.do("bake"))


def _defects(troubles: tuple[Any, ...]) -> list[str]:
    return [trouble.reason for trouble in troubles if "inside the program" in trouble.reason]


# Operations


def try_operations(trial: Trial, seed: int, count: int) -> None:
    """So many random operations, one after the other: no raw error, valid meshes, undo exact."""
    hand = random.Random(seed)
    session, story = bench(hand)
    if hand.random() < 0.4:
        story.append("symmetric")
        session.do("set_symmetry", axis=hand.choice("xyz"))
    keys = [one.key for one in REGISTRY.all() if one.key not in NO_HANDS]
    for _ in range(count):
        _pick(hand, session)
        operation = REGISTRY[hand.choice(keys)]
        values = some_values(hand, operation.parameters, session)
        before, told = session.document, [*story[-6:], (operation.key, values, _selected(session))]
        steps = len(session.history)
        done = trial.run(operation.key, told, partial(_do, session, operation.key, values))
        after = session.document
        if done is None:
            trial.holds(f"{operation.key} refused, and changed something", told, after is before)
            continue
        story.append((operation.key, values))
        for part in after.parts:
            trial.holds(f"{operation.key} makes an invalid mesh", told, _is_valid(part.mesh))
        if after is not before and len(session.history) == steps + 1:
            session.undo()
            trial.holds(f"{operation.key} is not undone", told, session.document is before)
            session.redo()
        if not after.parts or sum(part.mesh.n_faces for part in after.parts) > MOST_FACES or len(after.parts) > 12:
            session, story = bench(hand)


def _do(session: ll.Session, key: str, values: dict[str, Any]) -> bool:
    session.do(key, **values)
    return True


def _pick(hand: random.Random, session: ll.Session) -> None:
    mesh = session.part.mesh
    kind = hand.choice(KINDS)
    count = mesh.count(kind)
    if count == 0 or hand.random() < 0.15:
        session.select_none()
        return
    chosen = sorted(hand.sample(range(count), min(count, hand.choice((1, 2, 4, 10, count)))))
    edges = [tuple(pair) for pair in mesh.topology.edges[chosen].tolist()] if kind == "edges" else chosen
    session.select(**{kind: edges})
    if kind == "edges" and hand.random() < 0.5:
        try:
            session.do(hand.choice(("select_loop", "select_ring")))
        except LevelLoopError:
            return


def _selected(session: ll.Session) -> str:
    return f"{len(session.selection)} {session.selection.kind}"


def _is_valid(mesh: Mesh) -> bool:
    topology = mesh.topology
    return bool(
        np.isfinite(mesh.points).all()
        and (topology.face_sizes >= 3).all()
        and topology.corners.min(initial=0) >= 0
        and topology.corners.max(initial=-1) < mesh.n_points
        and len(mesh.creases) == mesh.n_edges
        and len(mesh.material) == mesh.n_faces
        and all(named.indices.max(initial=-1) < mesh.count(named.kind) for named in mesh.sets)
    )


def main() -> int:
    """Runs what the command line asks for; 1 where something went wrong."""
    what, first, count = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
    trial = Trial()
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, first + count):
            if what == "recipes":
                from levelloop.app.view.render.picture import make_picture

                try_recipe(
                    trial, seed, Path(folder), lambda part: make_picture(part, True).made_ready().copied_points
                )
            else:
                try_operations(trial, seed, 50)
    for what, number in sorted(trial.counts.items()):
        print(f"{number:6} {what}")
    families = Counter(fault.splitlines()[0] for fault in trial.faults)
    for family, number in families.most_common():
        print(number, "×", min((one for one in trial.faults if one.startswith(family)), key=len)[:1500])
    return 1 if trial.faults else 0


if __name__ == "__main__":
    sys.exit(main())
