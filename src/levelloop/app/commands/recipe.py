"""What is done to the active part's recipe on the build line: showing, switching, moving and adding steps."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu

from levelloop.app.tools.step_marks import PlaneMarks, StepMarks, marks_of
from levelloop.core.errors import EditError
from levelloop.core.mesh.combine import combined
from levelloop.core.recipe.chain import build
from levelloop.core.words import counted
from levelloop.document.document import Document
from levelloop.document.operations import REGISTRY, keys
from levelloop.document.operations.recipe_owner import kept_steps, members
from levelloop.document.part import Part
from levelloop.document.recipe.groups import groups_around
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.steps import label, rail_place
from levelloop.document.registry import Operation

if TYPE_CHECKING:
    from levelloop.app.window import Window


class RecipeCommands:
    """Commands on the recipe of a window's active part; menus act on the step that was chosen last."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self._chosen = 0
        self._copied: list[tuple[str, dict[str, Any]]] = []
        # By the names that operations give their questions.
        self.tools: dict[str, Callable[[Operation], None]] = {
            "station later": lambda _: self.move_right(),
            "station on or off": lambda _: self.switch(),
            "station out": lambda _: self.remove(),
        }
        self._known: tuple[Part | None, str] = (None, "")
        self._marks: StepMarks | PlaneMarks | None = None
        window.panes.hands.open_step = self.marks
        window.panes.hands.change_step = window.sentence.give
        line = window.line
        line.station_chosen.connect(self.choose)
        line.switched.connect(self.switch)
        line.moved.connect(self.move)
        line.asked_menu.connect(self.menu)
        line.asked_add.connect(self.add_menu)

    def choose(self, step: int) -> None:
        """Shows the part as it is after a step, and opens the step's numbers in the sentence bar."""
        part = self.window.session.part
        self._chosen = step
        rail = rail_place(part.recipe)
        smooth = self.window.stage.is_smooth(part) if step == rail else step > rail
        self.window.stage.show_until(part.id, step + 1, smooth)
        here, whose = part.recipe[step], _whose(part, step)
        self.window.sentence.close_fields()
        operation, values = REGISTRY[f"step_{here.key}"], {**part.shown_values(here), **whose}
        self.window.attempt(lambda: self.window.sentence.start(operation, values, True))
        self.window.line.update()

    def marks(self) -> StepMarks | PlaneMarks | None:
        """The marks of the step whose numbers are open; None where none is, or it has none."""
        sentence, session = self.window.sentence, self.window.session
        operation, values, _ = sentence.running.subject()
        is_open = sentence.is_open or sentence.is_waiting
        if not is_open or operation is None:
            return None
        kind = next((key for key in STEPS if operation.key == f"step_{key}"), "")
        if not kind or not session.document.parts:
            return None
        part, step, group = session.part, values.get("step"), values.get("group")
        try:
            steps = kept_steps(session.document, group)
        except EditError:
            # A group that is being typed.
            return None
        if step is None and not sentence.is_waiting:
            # It has been added already: the last of its kind.
            step = max((place for place, one in enumerate(steps) if one.key == kind), default=None)
        until = len(steps) if step is None else int(step)
        told = f"{until} {sorted(values.items(), key=lambda one: one[0])}"
        if self._known[0] is not part or self._known[1] != told:
            marks = marks_of(part, values, until) if not group else self._marks_of_group(group, values, until)
            self._known, self._marks = (part, told), marks
        return self._marks

    def switch(self, step: int | None = None) -> None:
        """Switches a step off or on."""
        place = self._here(step)
        if place is not None:
            part = self.window.session.part
            on = not part.recipe[place].enabled
            self._do(lambda: self.window.session.enable_step(on=on, **_whose(part, place)))

    def move(self, step: int, to: int) -> None:
        """Puts a step at another place of its recipe: a part's among the part's, a group's among the group's."""
        part = self.window.session.part
        whose = _whose(part, step)
        own = [place for place in range(len(part.recipe)) if _whose(part, place)["group"] == whose["group"]]
        to = min(max(to, own[0]), own[-1])
        self._do(lambda: self.window.session.move_step(to=to - own[0], **whose))
        self._chosen = to

    def move_right(self) -> None:
        """Lets the chosen step run one later."""
        place = self._here(None)
        if place is not None and place + 1 < len(self.window.session.part.recipe):
            self.move(place, place + 1)

    def remove(self, step: int | None = None) -> None:
        """Takes a step out of the recipe."""
        place = self._here(step)
        if place is not None:
            self._do(lambda: self.window.session.remove_step(**_whose(self.window.session.part, place)))

    def menu(self, step: int, at: QPoint) -> None:
        """The menu of one step."""
        part = self.window.session.part
        here, whose = part.recipe[step], _whose(part, step)
        group = whose["group"]
        own = [place for place in range(len(part.recipe)) if _whose(part, place)["group"] == group]
        menu = QMenu(self.window)
        words = label(here, part.shown_values(here))
        menu.addSection(f"{words}, of the group “{group}”" if group else words)
        menu.addAction("Change its numbers").triggered.connect(lambda: self.choose(step))
        menu.addAction("Switch off" if here.enabled else "Switch on").triggered.connect(lambda: self.switch(step))
        if step > own[0]:
            menu.addAction("Earlier").triggered.connect(lambda: self.move(step, step - 1))
        if step < own[-1]:
            menu.addAction("Later").triggered.connect(lambda: self.move(step, step + 1))
        menu.addAction("Copy").triggered.connect(lambda: self.copy([step]))
        menu.addAction("Keep the recipe under a name").triggered.connect(
            lambda: self.window.start(keys.KEEP_RECIPE, group=group)
        )
        if len(own) > 1:
            menu.addAction("Copy all").triggered.connect(lambda: self.copy(own))
        for target in self._targets(step):
            menu.addAction(f"Go to “{target.name}”").triggered.connect(
                lambda _=False, target=target: self.window.session.activate(target.id)
            )
        menu.addAction("Make plain up to here").triggered.connect(
            lambda: self._do(lambda: self.window.session.bake_steps(whose["step"], group))
        )
        menu.addAction("Remove").triggered.connect(lambda: self.remove(step))
        self._open(menu, at)

    def copy(self, places: list[int]) -> None:
        """Keeps steps of the active part's line, to be added to others."""
        part = self.window.session.part
        self._copied = [(part.recipe[place].key, dict(part.shown_values(part.recipe[place]))) for place in places]
        self.window.tell(f"{counted(len(places), 'step')} copied; + on another part's build line adds them.")

    def paste(self, group: str | None = None) -> None:
        """Adds the copied steps to the active part, or to a group, in their order."""
        whose = {"group": group} if group else {}
        for key, values in self._copied:
            self._do(lambda key=key, values=values: self.window.session.add_step(key, **values, **whose))  # type: ignore[misc]

    def use(self, name: str, group: str | None = None) -> None:
        """Gives the active part, or a group, a kept recipe after its own steps; the sentence can change that."""
        values = {"name": name, "after": True, "group": group}
        self.window.attempt(lambda: self.window.sentence.start(REGISTRY[keys.USE_RECIPE], values, False))
        self.window.line.update()

    def add_menu(self, at: QPoint) -> None:
        """The menu of what can be added to the recipe of the active part, and to those of its groups."""
        menu = QMenu(self.window)
        self._offer(menu, None)
        groups = list(groups_around(self.window.session.part.group))
        if groups:
            menu.addSeparator()
        for group in groups:
            self._offer(menu.addMenu(f"To the group “{group}”"), group)
        menu.setToolTipsVisible(True)
        self._open(menu, at)

    def offer_to_group(self, menu: QMenu, group: str) -> None:
        """Adds to a menu what can be added to a group's recipe."""
        self._offer(menu.addMenu("Add a step"), group)

    def follow(self, old: Document, new: Document) -> None:
        """Shows whole recipes again where steps were added or taken out."""
        before = {part.id: len(part.recipe) for part in old.parts}
        for part in new.parts:
            if before.get(part.id, len(part.recipe)) != len(part.recipe):
                self.window.stage.show_until(part.id, None, self.window.stage.is_smooth(part))

    # Helpers

    def _offer(self, menu: QMenu, group: str | None) -> None:
        """What can be added: what was copied, kept recipes, every kind of step that fits there."""
        fitting = [kind for kind in STEPS.values() if kind.in_groups or not group]
        whose = {"group": group} if group else {}
        if self._copied:
            what = STEPS[self._copied[0][0]].title.lower() if len(self._copied) == 1 else f"{len(self._copied)} steps"
            menu.addAction(f"Paste {what}").triggered.connect(lambda: self.paste(group))
            menu.addSeparator()
        for name in self.window.session.document.recipes:
            menu.addAction(f"Use “{name}”").triggered.connect(lambda _=False, name=name: self.use(name, group))
        if self.window.session.document.recipes:
            menu.addSeparator()
        for kind in fitting:
            action = menu.addAction(kind.title)
            action.setToolTip(kind.hint)
            action.triggered.connect(lambda _=False, key=kind.key: self.window.start(f"step_{key}", **whose))
        menu.setToolTipsVisible(True)

    def _marks_of_group(self, group: str, values: dict[str, Any], until: int) -> StepMarks | PlaneMarks | None:
        """The marks of a group's step, which counts in the world and on all of the group."""
        pieces = []
        for part in members(self.window.session.document, group):
            if not part.helper:
                links = part.links(0, until=part.first_of(group) + until)
                pieces.append(part.to_world(build(part.mesh, links).mesh))
        return marks_of(Part("", group, combined(pieces)), values, 0) if pieces else None

    def _targets(self, step: int) -> list[Part]:
        """The parts that a step names and that are there."""
        part = self.window.session.part
        here = part.recipe[step]
        named = [here.parameters.get(name) for name in STEPS[here.key].names_parts]
        return [part.inputs[str(one)] for one in named if one in part.inputs]

    def _here(self, step: int | None) -> int | None:
        """The step meant; None, with a sentence, where there is none."""
        steps = self.window.session.part.recipe if self.window.session.document.parts else ()
        if not steps:
            self.window.tell("This part has no recipe yet; add a step with + on the build line.")
            return None
        return min(self._chosen if step is None else step, len(steps) - 1)

    def _do(self, run: Callable[[], str]) -> None:
        self.window.sentence.close_fields()
        if self.window.attempt(run):
            state = self.window.session.state
            self.window.tell(" ".join(filter(None, (f"{state.sentence}.", state.message))))
        self.window.line.update()

    def _open(self, menu: QMenu, at: QPoint) -> None:
        place = self.window.line.mapToGlobal(at)
        menu.popup(QPoint(place.x(), place.y() - menu.sizeHint().height()))
        menu.aboutToHide.connect(menu.deleteLater)


def _whose(part: Part, step: int) -> dict[str, Any]:
    """A step of a part's line as operations name it: its place in its own recipe, and whose that is."""
    of_group = part.group_of(step)
    return {"group": None, "step": step} if of_group is None else {"group": of_group[0].group, "step": of_group[1]}
