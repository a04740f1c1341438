"""The materials in a list: swatches, where they are used; given by a key or dragged onto faces and parts."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from importlib.resources import files

from PySide6.QtCore import QMimeData, QPointF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QImage, QKeyEvent, QPainter, QPixmap, QRadialGradient
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from levelloop.app.panels.pieces import heading, quiet_list
from levelloop.app.theme import Theme, quiet_button, scaled, text_font
from levelloop.core.words import counted
from levelloop.document.materials import SHIPPED, Material
from levelloop.document.session import Session

SWATCH = 30  # pixels
MIME = "application/x-levelloop-material"


class MaterialList(QListWidget):
    """A list whose rows are dragged by the names of their materials. given: a row was entered or double-clicked."""

    given = Signal()

    def mimeTypes(self) -> list[str]:
        return [MIME]

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        data = QMimeData()
        if items:
            data.setData(MIME, str(items[0].data(Qt.ItemDataRole.UserRole)).encode("utf-8"))
        return data

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.given.emit()
        else:
            super().keyPressEvent(event)


class MaterialsPanel(QWidget):
    """The document's materials, then the shipped ones.

    given, changed, found, removed: what is asked for one, by its name; asked_new: for another one.
    """

    given = Signal(str)
    changed = Signal(str)
    found = Signal(str)
    removed = Signal(str)
    asked_new = Signal()

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.session, self.theme = session, theme
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 10, 4)
        column.setSpacing(3)
        head = QHBoxLayout()
        head.addWidget(heading("Materials", self))
        head.addStretch(1)
        new = quiet_button("new", "Makes another material", self)
        new.clicked.connect(self.asked_new)
        head.addWidget(new)
        column.addLayout(head)
        self.list = MaterialList(self)
        quiet_list(self, self.list)
        self.list.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.list.setAccessibleName("Materials")
        self.list.setIconSize(QSize(scaled(SWATCH), scaled(SWATCH)))
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.list.itemDoubleClicked.connect(lambda _: self.given.emit(self.chosen))
        self.list.given.connect(lambda: self.given.emit(self.chosen))
        column.addWidget(self.list, 1)
        tools = QHBoxLayout()
        tools.setSpacing(2)
        self.buttons = []
        for words, hint, signal in (
            ("Give", "To the selected faces, or to all of the part", self.given),
            ("Change", "Its colour, roughness and the rest", self.changed),
            ("Where used", "Selects the faces that have it", self.found),
            ("Remove", "Faces that have it are plain again", self.removed),
        ):
            button = quiet_button(words, hint, self)
            button.clicked.connect(lambda _=False, signal=signal: self.chosen and signal.emit(self.chosen))
            self.buttons.append(button)
            tools.addWidget(button)
        tools.addStretch(1)
        column.addLayout(tools)
        self._shown: object = None
        self.hide()

    @property
    def chosen(self) -> str:
        """The name of the material that is chosen in the list; empty for none."""
        item = self.list.currentItem()
        return "" if item is None else str(item.data(Qt.ItemDataRole.UserRole))

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session, self._shown = session, None
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Shows itself in a theme's colours."""
        self.theme, self._shown = theme, None
        self.refresh()

    def toggle(self) -> None:
        """Shows the list, or puts it away."""
        self.setVisible(self.isHidden())
        self.refresh()

    def refresh(self) -> None:
        """Brings the list up to date; the material of the selected faces is the chosen one."""
        if self.isHidden():
            return
        used = self._used()
        own = {one.name: one for one in self.session.document.materials}
        plain = [Material(name) for name in used if name not in own and all(name != one.name for one in SHIPPED)]
        all_of_them = (*own.values(), *plain, *(one for one in SHIPPED if one.name not in own))
        shown = (all_of_them, tuple(used.items()))
        if shown != self._shown:
            self._shown, before = shown, self.chosen
            self.list.clear()
            for material in all_of_them:
                count, parts = used.get(material.name, (0, 0))
                where = f"   {counted(count, 'face')} in {counted(parts, 'part')}" if count else ""
                item = QListWidgetItem(QIcon(swatch(material)), f"{material.name}{where}", self.list)
                item.setFont(text_font(9.5))
                item.setData(Qt.ItemDataRole.UserRole, material.name)
                item.setToolTip(_told(material))
            self.choose(before)
        picked = self._of_selection()
        if picked:
            self.choose(picked)

    def choose(self, name: str) -> None:
        """Makes a material the chosen one of the list."""
        for row in range(self.list.count()):
            if self.list.item(row).data(Qt.ItemDataRole.UserRole) == name:
                self.list.setCurrentRow(row)

    # Helpers

    def _used(self) -> dict[str, tuple[int, int]]:
        """How many faces of how many parts have each material."""
        used: dict[str, tuple[int, int]] = {}
        for part in self.session.document.parts:
            for number, name in enumerate(part.mesh.materials):
                count = int((part.mesh.material == number).sum())
                if count:
                    faces, parts = used.get(name, (0, 0))
                    used[name] = faces + count, parts + 1
        return used

    def _of_selection(self) -> str:
        """The one material of the selected faces; empty for none or several."""
        document, selection = self.session.document, self.session.selection
        if not document.parts or selection.kind != "faces" or len(selection) == 0:
            return ""
        mesh = document.part.mesh
        numbers = set(mesh.material[selection.indices].tolist())
        number = numbers.pop()
        return mesh.materials[number] if not numbers and number >= 0 else ""


@cache
def swatch(material: Material) -> QPixmap:
    """What a material looks like on a ball: rendered for a shipped one, drawn for all others."""
    if material in SHIPPED:
        source = files("levelloop.app.swatches").joinpath(f"{material.name}.png").read_bytes()
        return QPixmap.fromImage(QImage.fromData(source))
    side = 96
    image = QImage(side, side, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(QColor("#8B8880"))
    tone = QColor(material.colour)
    light = QRadialGradient(QPointF(0.36 * side, 0.3 * side), 0.62 * side)
    # The smoother, the smaller and brighter is what shines; metals keep their colour in it.
    shine = tone.lighter(170) if material.metalness > 0.5 else QColor("white")
    spread = 0.05 + 0.35 * material.roughness
    light.setColorAt(0.0, shine if material.roughness < 0.6 else tone.lighter(125))
    light.setColorAt(spread, tone.lighter(112))
    light.setColorAt(0.7, tone)
    light.setColorAt(1.0, tone.darker(230))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setOpacity(0.25 + 0.75 * material.opacity)
    painter.setBrush(light)
    painter.drawEllipse(QPointF(side / 2, side / 2), 0.42 * side, 0.42 * side)
    painter.end()
    return QPixmap.fromImage(image)


def _told(material: Material) -> str:
    """A material's numbers, in words."""
    said = [material.colour, f"rough {material.roughness:g}"]
    if material.metalness:
        said.append(f"metal {material.metalness:g}")
    if material.opacity < 1:
        said.append(f"opaque {material.opacity:g}")
    if material.glow:
        said.append(f"glowing {material.glow:g}")
    if material.image:
        said.append(material.image)
    return ", ".join(said)
