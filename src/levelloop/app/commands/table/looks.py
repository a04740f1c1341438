"""Commands that say how a view shows the parts, and what it compares."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from levelloop.app.commands.table.entry import Entry
from levelloop.app.theme import THEMES

if TYPE_CHECKING:
    from levelloop.app.view.cards.look_card import LookCard
    from levelloop.app.window import Window


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


LOOKS: tuple[Entry, ...] = (
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
        "Shadow on the ground",
        lambda window: window.on_view.toggle_look("shadow"),
        ("I, H",),
        "Soft, where parts stand on it",
        is_on=lambda window: window.view.look_of.shadow,
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
    _shading("Checker", "I, K", "Numbered squares laid on by UV", "uv texture map stretch"),
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
)
