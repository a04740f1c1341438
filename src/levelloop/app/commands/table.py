"""The table of commands as data: what menus, the finder, keys and the page of keys are made of."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from levelloop.app.theme import THEMES
from levelloop.app.view.snapping import SNAPS, TITLES
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation

if TYPE_CHECKING:
    from levelloop.app.view.look_card import LookCard
    from levelloop.app.window import Window

# Each with the letter that opens it together with Alt.
MENUS = (
    "&File",
    "&Edit",
    "&Add",
    "&Select",
    "&Transform",
    "&Build",
    "&Divide",
    "&Mend",
    "Sm&ooth",
    "S&kin",
    "&Recipe",
    "&Part",
    "&View",
    "&Help",
)
# Operations that the window has commands of its own for, which also act on whole parts.
COMMANDS_OF_THE_WINDOW = ("Hide", "Show all", "Symmetric editing", "Unit", "Convert")
NO_PART = "There is no part yet; add a form first."
Pivot = Literal["middle", "each", "origin", "anchor", "last"]


@dataclass(frozen=True)
class Entry:
    """One command. run: what it does to a window; keys: the first is the one that is told; line: with a line above it;
    why_not: why it cannot run now, in a sentence, empty where it can; is_on: whether what it switches is on; listed:
    whether it stands in its menu, not only in the search and the keys; also: other words to find it by. menu: a menu,
    or one in it: "View/Looks".
    """

    menu: str
    title: str
    run: Callable[[Window], Any]
    keys: tuple[str, ...] = ()
    hint: str = ""
    line: bool = False
    why_not: Callable[[Window], str] = lambda window: ""
    is_on: Callable[[Window], bool] | None = None
    listed: bool = True
    also: str = ""

    @property
    def name(self) -> str:
        """What the command is known by: a step may have the title of an operation."""
        return f"{self.menu}/{self.title}"


@dataclass(frozen=True)
class Submenu:
    """A menu in a menu that is filled with what there is each time it opens: (title, run) pairs, or menus of them."""

    menu: str
    title: str
    name: str


def of_operation(operation: Operation) -> Entry:
    """The command that begins an operation."""

    def why_not(window: Window) -> str:
        if operation.acts_on in ("form", "document"):
            return ""
        return window.why_not(operation) if window.session.document.parts else NO_PART

    return Entry(
        operation.menu,
        operation.title,
        lambda window: window.start(operation.key),
        operation.shortcuts,
        operation.hint,
        why_not=why_not,
        listed=operation.title not in COMMANDS_OF_THE_WINDOW,
        also=operation.also,
    )


def _axes(axes: Literal["world", "part", "normal", "view"]) -> Entry:
    hint = "What the handle and typed moves count along"
    return Entry(
        "Transform", f"Axes of the {axes}", lambda window: window.on_view.set_axes(axes), (), hint, listed=False
    )


def _pivot(pivot: Pivot, words: str) -> Entry:
    hint = "What stays when it is rotated or scaled"
    return Entry("Transform", f"Pivot: {words}", lambda window: window.on_view.set_pivot(pivot), (), hint, listed=False)


def _snap(snap: Any) -> Entry:
    title = f"Snap to {TITLES[snap]}"
    return Entry(
        "Transform", title, lambda window: window.on_view.toggle_snap(snap), (), "While dragging", listed=False
    )


def _direction(title: str) -> Entry:
    return Entry(
        "View/Look from",
        title,
        lambda window: window.view.fly(lambda: window.view.look(title.lower())),
        (),
        "Straight, without perspective",
    )


def _step(towards: Literal["left", "right", "up", "down"]) -> Entry:
    return Entry(
        "View",
        f"Step to the {towards}" if towards in ("left", "right") else f"Step {towards}",
        lambda window: window.view.fly(lambda: window.view.step(towards)),
        (f"Ctrl+{towards.capitalize()}",),
        "The next straight direction on that side",
        listed=False,
    )


def _views(count: int, title: str) -> Entry:
    return Entry(
        "View", title, lambda window: window.panes.show_views(count), (f"Ctrl+{count}",), "Side by side", count == 1
    )


def _shading(title: str, key: str, hint: str, also: str = "") -> Entry:
    shading: Any = title.lower()
    return Entry(
        "View/Looks",
        title,
        # The same key again shows clay.
        lambda window: window.on_view.set_look(shading="clay" if window.view.look_of.shading == shading else shading),
        (key,),
        hint,
        is_on=lambda window: window.view.look_of.shading == shading,
        also=also,
    )


def _wipe_line(side: str, by: float) -> Entry:
    """Moves the line of a comparison by a share of the view's width."""

    def move(window: Window) -> None:
        if window.view.wipe is not None:
            window.view.move_wipe(window.view.wipe.share + by)

    hint = "Moves the line of the comparison"
    return Entry("View/Compare", f"Line to the {side}", move, (), hint, listed=False)


def _card(title: str, run: Callable[[LookCard], None], shading: str) -> Entry:
    """What the card of a look offers, for the search and keys of one's own."""

    def why_not(window: Window) -> str:
        return "" if window.view.look_of.shading == shading else f"Show {shading} first."

    hint = f"While a view shows {shading}"
    return Entry(
        "View/Looks", title, lambda window: run(window.view.look_card), (), hint, why_not=why_not, listed=False
    )


def _back_faces(inside: str) -> Entry:
    return Entry(
        "View/Back faces",
        f"Back faces {inside}",
        lambda window: window.on_view.set_look(inside=inside),
        is_on=lambda window: window.view.look_of.inside == inside,
    )


def _theme(name: str, first: bool) -> Entry:
    return Entry(
        "View/Theme",
        f"Theme {name}",
        lambda window: window.set_theme(name),
        (),
        "How everything is coloured",
        first,
        is_on=lambda window: window.theme.name == name,
    )


def commands() -> Iterator[Entry | Submenu]:
    """All commands in the order of their menus. Raises ValueError where two have one key.

    An operation that the window has a command of the same name for is left to that.
    """
    taken: dict[str, str] = {}
    known = {entry.name for entry in (*FIRST, *LAST) if isinstance(entry, Entry)}
    operations = (of_operation(operation) for operation in REGISTRY.all())
    for entry in (*FIRST, *(entry for entry in operations if entry.name not in known), *LAST):
        for key in entry.keys if isinstance(entry, Entry) else ():
            if key in taken:
                raise ValueError(f"{entry.title} and {taken[key]} both have the key {key}")
            taken[key] = entry.title
        yield entry


FIRST: tuple[Entry | Submenu, ...] = (
    Entry("File", "New", lambda window: window.on_files.new_document(), ("Ctrl+N",), "An empty document"),
    Submenu("File", "Open recent", "recent"),
    Entry("File", "Open…", lambda window: window.on_files.ask_open(), ("Ctrl+O",), "A document or a cage"),
    Entry("File", "Save", lambda window: window.on_files.save(), ("Ctrl+S",), "Writes the document", True),
    Entry(
        "File",
        "Save as…",
        lambda window: window.on_files.ask_save(),
        ("Ctrl+Shift+S",),
        "Writes the document under another name",
    ),
    Entry("File", "Save a copy…", lambda window: window.on_files.save_copy(), (), "And go on under the same name"),
    Entry(
        "File",
        "Save the next version",
        lambda window: window.on_files.save_version(),
        ("Ctrl+Alt+S",),
        "Under the same name with the next number",
    ),
    Entry("File", "Back to what was saved", lambda window: window.on_files.revert(), (), "Drops what was done since"),
    Entry(
        "File",
        "Import…",
        lambda window: window.on_files.ask_import(),
        ("Ctrl+Shift+O",),
        "The parts of another file into this document",
        True,
    ),
    Entry(
        "File",
        "Export",
        lambda window: window.exporting.ask(),
        ("Ctrl+E",),
        "The smooth surfaces as STL, OBJ, PLY, 3MF or USD",
    ),
    Entry(
        "File",
        "Still picture",
        lambda window: window.picturing.ask(),
        (),
        "A picture with real light, materials and shadows",
        also="render photo image",
    ),
    Entry("File", "Quit", lambda window: window.close(), ("Ctrl+Q",), line=True),
    Entry(
        "Edit",
        "Settings",
        lambda window: window.shell.show_settings(),
        ("Ctrl+,",),
        "Words, theme, hands and keys",
        also="preferences options shortcuts",
    ),
    Entry(
        "Edit",
        "History",
        lambda window: window.shell.show_history(),
        ("Ctrl+H",),
        "What was done; its numbers can change",
    ),
    Entry("Edit", "Undo", lambda window: window.attempt(window.undo), ("Ctrl+Z",)),
    Entry("Edit", "Redo", lambda window: window.attempt(window.redo), ("Ctrl+Shift+Z", "Ctrl+Y")),
    Entry(
        "Edit",
        "Repeat last",
        lambda window: window.attempt(window.repeat),
        ("Ctrl+R",),
        "The last operation on what is selected now",
    ),
    Entry(
        "Edit",
        "Copy",
        lambda window: window.on_parts.copy(),
        ("Ctrl+C",),
        "The selected faces, or the active part",
        True,
    ),
    Entry("Edit", "Paste", lambda window: window.on_parts.paste(True), ("Ctrl+V",), "Into the active part"),
    Entry("Edit", "Paste as a new part", lambda window: window.on_parts.paste(False), ("Ctrl+Shift+V",)),
    Entry(
        "Select",
        "Points",
        lambda window: window.set_kind("points"),
        ("P",),
        "Select points; again converts the selection",
        listed=False,
    ),
    Entry(
        "Select",
        "Edges",
        lambda window: window.set_kind("edges"),
        ("E",),
        "Select edges; again converts the selection",
        listed=False,
    ),
    Entry(
        "Select",
        "Faces",
        lambda window: window.set_kind("faces"),
        ("F",),
        "Select faces; again converts the selection",
        listed=False,
    ),
    Entry("Select", "Parts", lambda window: window.set_kind("parts"), ("A",), "Select parts", listed=False),
    Entry(
        "Select",
        "Everything",
        lambda window: window.select_all(),
        ("Ctrl+A",),
        "Every element of the active part",
        True,
    ),
    Entry("Select", "Nothing", lambda window: window.select_none(), ("Ctrl+Shift+A",), "In no part"),
    Entry(
        "Select",
        "Lock the selection",
        lambda window: window.on_view.toggle_kept(),
        ("Ctrl+L",),
        "Against clicks, boxes and brushes",
        listed=False,
    ),
    Entry(
        "Select",
        "Reach",
        lambda window: window.on_view.toggle_reach(),
        ("Ctrl+T",),
        "Pick what is seen, what faces the view, or everything through",
        listed=False,
    ),
)

LAST: tuple[Entry | Submenu, ...] = (
    Entry(
        "Add",
        "Draw a curve",
        lambda window: window.on_view.draw_curve(),
        (),
        "By clicks, on a part or beside it",
        True,
    ),
    _axes("world"),
    _axes("part"),
    _axes("normal"),
    _axes("view"),
    _pivot("middle", "the middle"),
    _pivot("each", "each piece"),
    _pivot("origin", "the world's origin"),
    _pivot("anchor", "the anchor"),
    _pivot("last", "the last picked"),
    *(_snap(snap) for snap in SNAPS),
    Entry(
        "Transform",
        "Soft range",
        lambda window: window.on_view.toggle_soft(),
        ("Shift+S",),
        "What is around follows move, rotate and scale",
        listed=False,
        also="proportional falloff",
    ),
    Entry(
        "Part",
        "Show or hide",
        lambda window: window.on_parts.toggle_part(),
        (),
        "Hides the active part, or shows it",
    ),
    Entry("Part", "Show all parts", lambda window: window.on_parts.show_all_parts()),
    Entry(
        "Select",
        "Hide",
        lambda window: window.on_parts.hide(False),
        ("V",),
        "What is selected; with nothing selected shows all that is hidden",
    ),
    Entry(
        "Select",
        "Hide the rest",
        lambda window: window.on_parts.hide(True),
        ("Shift+V",),
        "All but the selection, or the other parts",
    ),
    Entry("Select", "Show what is hidden", lambda window: window.on_parts.show_hidden(), (), "Elements and parts"),
    Entry("Smooth", "Cage or smooth", lambda window: window.levels.toggle(), (), "Space; held: a peek"),
    Entry("Smooth", "All parts cage or smooth", lambda window: window.levels.toggle_all(), (), "Shift+Space"),
    Entry("Smooth", "Level up", lambda window: window.levels.show(window.line.stepped(1)), ("PgUp",)),
    Entry("Smooth", "Level down", lambda window: window.levels.show(window.line.stepped(-1)), ("PgDown",)),
    Entry(
        "View",
        "Measure",
        lambda window: window.on_view.toggle_measure(),
        ("Shift+M",),
        "The distance between the last two picks; what a face is like",
    ),
    *(_direction(name) for name in ("Front", "Back", "Right", "Left", "Top", "Bottom")),
    *(_step(towards) for towards in ("left", "right", "up", "down")),
    Entry("View", "Perspective or orthographic", lambda window: window.view.toggle_perspective(), ("Ctrl+Home",)),
    Entry("View/Guides", "Move a guide", lambda window: window.on_view.move_guide(), (), "Drag it, or a corner of it"),
    Submenu("View/Cameras", "Look through", "cameras"),
    Submenu("View/Guides", "Change a guide here", "guides"),
    Entry(
        "View",
        "Frame selection",
        lambda window: window.view.fly(window.view.frame),
        ("Home",),
        "The selection, or the active part",
    ),
    Entry(
        "View",
        "Frame everything",
        lambda window: window.view.fly(lambda: window.view.frame(everything=True)),
        ("Shift+Home",),
    ),
    _views(1, "One view"),
    _views(2, "Two views"),
    _views(4, "Four views"),
    Entry(
        "View/Looks",
        "X-ray",
        lambda window: window.on_view.toggle_look("x_ray"),
        ("I, X",),
        "Shows what is behind",
        True,
        is_on=lambda window: window.view.look_of.x_ray,
    ),
    Entry(
        "View/Looks",
        "Wires and flow lines",
        lambda window: window.on_view.toggle_look("wire"),
        ("I, W",),
        "The cage's edges on the surface",
        is_on=lambda window: window.view.look_of.wire,
    ),
    Entry(
        "View/Looks",
        "Materials",
        lambda window: window.on_view.toggle_look("materials"),
        ("I, A",),
        "What faces are made of, instead of clay",
        is_on=lambda window: window.view.look_of.materials,
        also="skin shaded rendered",
    ),
    Entry(
        "View/Looks",
        "Ground",
        lambda window: window.on_view.toggle_look("ground"),
        ("I, G",),
        "Lines on the plane z = 0",
        is_on=lambda window: window.view.look_of.ground,
    ),
    Entry(
        "View/Looks",
        "Normals",
        lambda window: window.on_view.toggle_look("normals"),
        ("I, N",),
        "Which way the faces look",
        is_on=lambda window: window.view.look_of.normals,
    ),
    Entry(
        "View/Looks",
        "Cut open",
        lambda window: window.on_view.cut_view(),
        ("I, O",),
        "Hides what lies before the middle, square to the view's axis",
        is_on=lambda window: window.view.look_of.section is not None,
    ),
    _shading("Clay", "I, I", "Plain, for the form"),
    _shading("Silhouette", "I, B", "Flat and dark, to judge the contour"),
    _shading("Valleys", "I, V", "What is hollow is darker"),
    _shading(
        "Stripes", "I, S", "What mirrors lit strips: where they break or wobble the surface does", "zebra reflection"
    ),
    _shading("Curvature", "I, C", "How the surface bends, in colours with a legend", "heat map radius Gaussian"),
    _shading("Raking light", "I, L", "Light from far aside shows every lump", "grazing sweep"),
    _card("Fewer stripes", lambda card: card.change_stripes(1 / 1.5), "stripes"),
    _card("More stripes", lambda card: card.change_stripes(1.5), "stripes"),
    _card("Turn the stripes", lambda card: card.turn_stripes(), "stripes"),
    _card("Stand the stripes in the world", lambda card: card.stand_stripes(), "stripes"),
    _card("Next curvature", lambda card: card.next_bend(), "curvature"),
    _card("Colours for gentler curves", lambda card: card.change_scale(0.4), "curvature"),
    _card("Colours for tighter curves", lambda card: card.change_scale(2.0), "curvature"),
    _card("Colours that fit the part", lambda card: card.change_scale(0.0), "curvature"),
    _card("How the light goes", lambda card: card.next_rake(), "raking light"),
    _back_faces("tinted"),
    _back_faces("plain"),
    _back_faces("hidden"),
    *(_theme(name, number == 0) for number, name in enumerate(THEMES)),
    Entry(
        "View/Compare",
        "Cage and smooth",
        lambda window: window.comparing.cage_and_smooth(),
        ("I, D",),
        "The cages left of a line across the view, the smooth surfaces right of it",
        is_on=lambda window: window.view.wipe is not None and window.view.wipe.left == "cage",
        also="wipe divider split",
    ),
    Entry(
        "View/Compare",
        "Before and now",
        lambda window: window.comparing.with_version(),
        ("I, E",),
        "As it was before the last operation left of a line, as it is now right of it",
        is_on=lambda window: window.view.wipe is not None and window.view.wipe.right == "now",
        also="wipe versions difference",
    ),
    Entry(
        "View/Compare",
        "Saved and now",
        lambda window: window.comparing.with_saved(),
        (),
        "As it was last saved left of a line, as it is now right of it",
        also="wipe versions difference",
    ),
    Entry(
        "View/Compare",
        "Two parts",
        lambda window: window.comparing.two_parts(),
        (),
        "The first chosen part left of a line, the other right of it",
        also="wipe difference",
    ),
    Entry(
        "View/Compare",
        "Distances as colours",
        lambda window: window.view.compare_card.toggle_map(),
        ("I, M",),
        "How far each place is from the other side",
        why_not=lambda window: "" if window.view.wipe is not None else "Compare something first.",
        is_on=lambda window: window.view.wipe is not None and window.view.wipe.maps,
        also="deviation map heat",
    ),
    _wipe_line("left", -0.05),
    _wipe_line("right", 0.05),
    Entry(
        "View/Compare",
        "End the comparison",
        lambda window: window.view.compare(None),
        (),
        "The view shows the document alone again",
        why_not=lambda window: "" if window.view.wipe is not None else "Nothing is compared.",
    ),
    Entry(
        "View",
        "Pin the loop gauge",
        lambda window: window.on_view.pin_gauge(),
        ("Shift+I",),
        "Keeps the card of the loop the pointer rests on, or lets it go",
        listed=False,
    ),
    Entry("View", "Next finding", lambda window: window.review.walk(1), ("R",), line=True),
    Entry("View", "Previous finding", lambda window: window.review.walk(-1), ("Shift+R",)),
    Entry("Help", "Find a command", lambda window: window.finder.open(), ("Ctrl+K",)),
    Entry(
        "Help",
        "Help",
        lambda window: window.shell.show_help(),
        ("F1",),
        "Everything that can be done, searched by any word",
    ),
    Entry("Help", "Keys", lambda window: window.shell.show_keys(), (), "All keys, to find and to change"),
    Entry("Help", "A first part in six steps", lambda window: window.starting.begin_lesson(), (), "Done by you"),
    Entry("Help", "Messages", lambda window: window.shell.show_messages(), (), "Everything that was said"),
    Entry("Help", "Open the demo", lambda window: window.on_files.open_demo()),
    Entry("Help", "About Level Loop", lambda window: window.shell.show_about()),
)
