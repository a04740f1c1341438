"""The overlay: what is written and drawn over a view in screen space: handle, box, markers, axes."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from levelloop.app.measured import area_told, length_told, lengths_told, number_told
from levelloop.app.theme import Theme, colour, text_font
from levelloop.app.tools.curve_tools import RadiusCircle
from levelloop.app.tools.dragging import Drag
from levelloop.app.tools.gestures import Box, Lasso
from levelloop.app.view.markers import draw_markers
from levelloop.app.view.picking.guide_places import camera_here
from levelloop.core.measure.between import face_card, measure_between, selection_size
from levelloop.core.select.soft_range import falloff
from levelloop.document.operations import REGISTRY

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

SECTION_REACH = 12.0  # pixels


class Overlay(QWidget):
    """A see-through sheet over a view; it takes no events."""

    def __init__(self, view: Viewport) -> None:
        super().__init__(view)
        self.view = view
        self.label = QRectF()  # where the words in the corner stand
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_markers(painter, self.view)
        self._draw_handle(painter)
        self._draw_section(painter)
        self._draw_wipe(painter)
        self._draw_value(painter)
        self._draw_box(painter)
        self._draw_measure(painter)
        self._draw_gauged(painter)
        self._draw_catch(painter)
        self._draw_falloff(painter)
        if self.view.hands.tool is not None:
            self.view.hands.tool.draw(self.view, painter)
        self._draw_axes(painter)
        self._draw_corner(painter)
        if self.view.lists_looks:
            self._draw_looks(painter)
        painter.end()

    def section_place(self) -> np.ndarray:
        """Where the handle of the cut is: on its plane, before the middle of the active part."""
        section = self.view.look_of.section
        extent = self.view.stage.extent(self.view.session.document.active)
        place = np.zeros(3) if len(extent) == 0 else 0.5 * (extent.min(axis=0) + extent.max(axis=0))
        if section is not None:
            place[section[0]] = section[1]
        return place

    def section_at(self, place: QPoint) -> bool:
        """Whether the handle of the cut is at a place."""
        if self.view.look_of.section is None:
            return False
        x, y, _ = self.view.on_screen(self.section_place()[None])[0]
        return math.hypot(x - place.x(), y - place.y()) <= SECTION_REACH

    def _draw_section(self, painter: QPainter) -> None:
        """The handle of the cut: a bead with its axis through it, and where the cut is."""
        section = self.view.look_of.section
        if section is None:
            return
        theme, axis = self.view.theme, section[0]
        tone = colour((theme.axis_x, theme.axis_y, theme.axis_z)[axis])
        here = self.section_place()
        arm = 60.0 * self.view.camera.millimetres_per_pixel(self.height(), here)
        (ax, ay, _), (bx, by, _), (x, y, _) = self.view.on_screen(
            np.stack((here - arm * np.eye(3)[axis], here + arm * np.eye(3)[axis], here))
        )
        painter.setPen(QPen(tone, 2.0, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(ax, ay), QPointF(bx, by))
        painter.setPen(QPen(tone, 2.4))
        painter.setBrush(colour(theme.panel, 0.95))
        painter.drawEllipse(QPointF(x, y), 7.0, 7.0)
        painter.setFont(text_font(8.5))
        words = f"{'xyz'[axis]} {length_told(section[1], self.view.session.document.unit)}"
        _label(painter, QPointF(x + 14, y - 26), words, theme)

    def _draw_wipe(self, painter: QPainter) -> None:
        """The line of the wipe with its handle, and what stands on either side of it."""
        wipe, theme = self.view.wipe, self.view.theme
        if wipe is None:
            return
        x = wipe.share * self.width()
        painter.setPen(QPen(colour(theme.ink), 1.6))
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.setBrush(colour(theme.panel))
        painter.setPen(QPen(colour(theme.ink), 2.0))
        middle = self.height() / 2
        painter.drawEllipse(QPointF(x, middle), 9.0, 9.0)
        for side in (-1, 1):
            tip = QPointF(x + 6 * side, middle)
            painter.drawLine(tip, tip - QPointF(3 * side, 3))
            painter.drawLine(tip, tip - QPointF(3 * side, -3))
        painter.setFont(text_font(9))
        high = self.height() - 34
        width = painter.fontMetrics().horizontalAdvance(wipe.left) + 16
        _label(painter, QPointF(x - width - 12, high), wipe.left, theme)
        _label(painter, QPointF(x + 12, high), wipe.right, theme)

    def _draw_value(self, painter: QPainter) -> None:
        """What a drag has come to, beside the pointer."""
        view, state = self.view, self.view.session.state
        if not isinstance(view.gesture, Drag) or not view.gesture.runs or not state.key:
            return
        operation = REGISTRY[state.key]
        name = operation.parameters[0].name
        painter.setFont(text_font(9.0))
        words = operation.show(name, state.parameters, state.document.unit)
        _label(painter, QPointF(view.pointer) + QPointF(18, 14), words, view.theme)

    def _draw_box(self, painter: QPainter) -> None:
        gesture, blue = self.view.gesture, self.view.theme.selection
        if self.view.brush is not None:
            painter.setPen(QPen(colour(blue), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(self.view.brush), self.view.hands.brush, self.view.hands.brush)
        painter.setPen(QPen(colour(blue), 1.0, Qt.PenStyle.DashLine))
        painter.setBrush(colour(blue, 0.08))
        if isinstance(gesture, Lasso):
            painter.drawPolygon(QPolygonF([QPointF(place) for place in gesture.line]))
        elif isinstance(gesture, Box):
            painter.drawRect(gesture.rectangle)

    def _draw_handle(self, painter: QPainter) -> None:
        circle = RadiusCircle.of(self.view)
        if circle is not None:
            circle.draw(self.view, painter)
        marks = self.view.hands.open_step()
        if marks is not None and marks.part.visible:
            marks.draw(self.view, painter)
        handle = self.view.handle()
        if handle is None:
            return
        view, theme = self.view, self.view.theme
        colours = (theme.axis_x, theme.axis_y, theme.axis_z)
        grip = view.grip()
        arms = handle.arms(view.camera, view.width(), view.height())
        centre = QPointF(*arms[0, :2])
        if handle.mode == "rotate":
            for axis, ring in enumerate(handle.rings(view.camera, view.width(), view.height())):
                painter.setPen(QPen(colour(colours[axis], 0.95), 3.6 if axis == grip else 2.2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y, _ in ring]))
        else:
            for axis in range(3):
                end = QPointF(*arms[1 + axis, :2])
                painter.setPen(QPen(colour(colours[axis]), 3.6 if axis == grip else 2.2))
                painter.drawLine(centre, end)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(colour(colours[axis]))
                if handle.mode == "move":
                    # A drop that points along its axis.
                    angle = math.degrees(math.atan2(end.y() - centre.y(), end.x() - centre.x()))
                    painter.save()
                    painter.translate(end)
                    painter.rotate(angle)
                    painter.drawPolygon(QPolygonF([QPointF(9, 0), QPointF(-3, 5), QPointF(0, 0), QPointF(-3, -5)]))
                    painter.restore()
                else:
                    painter.drawRoundedRect(QRectF(end.x() - 4.5, end.y() - 4.5, 9, 9), 2, 2)
            for axis, corners in enumerate(handle.planes(view.camera, view.width(), view.height())):
                # A bead of the two colours it moves along.
                x, y = corners[:, :2].mean(axis=0)
                radius = 6.5 if grip == 4 + axis else 5.0
                bead = QRectF(x - radius, y - radius, 2 * radius, 2 * radius)
                painter.setPen(Qt.PenStyle.NoPen)
                for half, other in enumerate(((axis + 1) % 3, (axis + 2) % 3)):
                    painter.setBrush(colour(colours[other], 0.95 if grip == 4 + axis else 0.7))
                    painter.drawPie(bead, (45 + 180 * half) * 16, 180 * 16)
        painter.setPen(QPen(colour(theme.ink), 1.4))
        painter.setBrush(colour(theme.panel, 0.95 if grip == 3 else 0.75))
        painter.drawEllipse(centre, 5.5, 5.5)
        painter.setFont(text_font(8.5))
        for axis in range(3):
            away = arms[1 + axis, :2] - arms[0, :2]
            length = float(np.hypot(*away))
            if length > 16:
                place = arms[0, :2] + away * (length + 16) / length
                painter.setPen(colour(colours[axis]))
                painter.drawText(
                    QRectF(place[0] - 10, place[1] - 10, 20, 20), Qt.AlignmentFlag.AlignCenter, "xyz"[axis]
                )

    def _draw_catch(self, painter: QPainter) -> None:
        """A ring and a word where a drag was caught."""
        catch = self.view.catch
        if catch is None:
            return
        x, y, depth = self.view.on_screen(catch.place[None])[0]
        if depth > 1.0:
            return
        teal = self.view.theme.hover
        painter.setPen(QPen(colour(teal), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(x, y), 8.0, 8.0)
        painter.setFont(text_font(8.5))
        _label(painter, QPointF(x + 14, y - 22), catch.by, self.view.theme)

    def _draw_falloff(self, painter: QPainter) -> None:
        """The curve by which points follow less and less, over the soft range, at the lower left."""
        soft = self.view.state().running_soft(self.view.session.state)
        if soft is None:
            return
        card = QRectF(84, self.height() - 84, 150, 68)
        painter.setPen(QPen(colour(self.view.theme.line), 1.0))
        painter.setBrush(colour(self.view.theme.panel, 0.95))
        painter.drawRoundedRect(card, 5, 5)
        ratios = np.linspace(0.0, 1.0, 33)
        left, low, across, high = card.x() + 12, card.y() + 42, card.width() - 24, 32.0
        curve = [
            QPointF(left + ratio * across, low - share * high)
            for ratio, share in zip(ratios.tolist(), falloff(ratios, soft.shape).tolist(), strict=True)
        ]
        painter.setPen(QPen(colour(self.view.theme.selection), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(curve))
        painter.setFont(text_font(8.5))
        painter.setPen(colour(self.view.theme.quiet))
        words = f"{length_told(soft.range, self.view.session.document.unit)} {soft.shape} · Ctrl+wheel"
        painter.drawText(
            card.adjusted(10, 44, -6, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words
        )

    def _draw_gauged(self, painter: QPainter) -> None:
        """Where on the loop the gauge's graph is looked at, and where the loop turns tightest."""
        place = self.view.gauge_card.place_shown()
        if place is None:
            return
        x, y, depth = self.view.on_screen(place[None])[0]
        if depth <= 1.0:
            painter.setPen(QPen(colour(self.view.theme.hover), 2.4))
            painter.setBrush(colour(self.view.theme.panel, 0.9))
            painter.drawEllipse(QPointF(x, y), 6.0, 6.0)

    def _draw_measure(self, painter: QPainter) -> None:
        """A line between the last two picks with its length; and what a single picked face is like."""
        view = self.view
        if not view.hands.measuring or not view.session.document.parts:
            return
        part = view.session.part
        mesh, selection = part.to_world(part.mesh), view.session.selection
        unit = view.session.document.unit
        painter.setFont(text_font(9.0))
        between = measure_between(mesh, selection)
        if between is not None:
            ends = view.on_screen(np.stack((between.start, between.end)))
            if (ends[:, 2] > 1.0).any():
                return
            start, end = QPointF(*ends[0, :2]), QPointF(*ends[1, :2])
            painter.setPen(QPen(colour(view.theme.ink), 1.6))
            painter.drawLine(start, end)
            for tip in (start, end):
                painter.setBrush(colour(view.theme.panel))
                painter.drawEllipse(tip, 4.0, 4.0)
            words = [length_told(between.distance, unit)]
            words += [f"d{axis} {length_told(part_, unit)}" for axis, part_ in zip("xyz", between.parts, strict=True)]
            if between.angle is not None:
                words.append(f"{number_told(between.angle)}°")
            if len(selection) > 2:
                words.append(f"all {lengths_told(selection_size(mesh, selection), unit, ' x ')}")
            _label(painter, (start + end) / 2 + QPointF(12, -24), "  ·  ".join(words), view.theme)
        elif selection.kind == "faces" and len(selection) == 1:
            card = face_card(mesh, int(selection.indices[0]))
            picture = view.stage.picture(part.id)
            if picture is None:
                return
            x, y, _ = view.on_screen(picture.face_middles[selection.indices[:1]])[0]
            words = [f"{card.sides} sides", area_told(card.area, unit), f"1 : {number_told(card.proportion)}"]
            _label(painter, QPointF(x + 12, y - 24), "  ·  ".join(words), view.theme)

    def _draw_axes(self, painter: QPainter) -> None:
        """Three short axes at the bottom left, so that one knows where up is."""
        theme = self.view.theme
        middle = QPointF(40, self.height() - 40)
        right, upward, backward = self.view.camera.axes
        order = sorted(range(3), key=lambda axis: backward[axis])
        painter.setFont(text_font(8.5))
        for axis in order:
            tone = colour((theme.axis_x, theme.axis_y, theme.axis_z)[axis], 0.9)
            end = middle + QPointF(24 * right[axis], -24 * upward[axis])
            painter.setPen(QPen(tone, 1.8))
            painter.drawLine(middle, end)
            tip = middle + QPointF(34 * right[axis], -34 * upward[axis])
            painter.drawText(QRectF(tip.x() - 9, tip.y() - 9, 18, 18), Qt.AlignmentFlag.AlignCenter, "xyz"[axis])

    def _draw_corner(self, painter: QPainter) -> None:
        """What the view is, in words, at the top left."""
        view = self.view
        camera = view.camera
        names = {
            (0.0, 0.0): "front",
            (90.0, 0.0): "right",
            (-90.0, 0.0): "left",
            (0.0, 90.0): "top",
            (0.0, -90.0): "bottom",
        }
        name = names.get((round(camera.turn, 3), round(camera.tilt, 3)), "")
        if abs(abs(camera.turn) - 180.0) < 1e-3 and abs(camera.tilt) < 1e-3:
            name = "back"
        kind = "Perspective" if camera.perspective else "Orthographic"
        through = camera_here(view)
        words = [f"Through “{through.name}”" if through else kind + (f", from the {name}" if name else "")]
        if view.mode is not None and view.hands.axes != "world":
            words.append(f"axes of the {view.hands.axes}")
        if view.mode in ("rotate", "scale") and view.hands.pivot != "middle":
            words.append(f"pivot {view.hands.pivot}")
        if view.hands.keeps_selection:
            words.append("selection locked")
        if view.look_of.x_ray:
            words.append("x-ray")
        if view.reach != "visible":
            words.append("selecting through" if view.reach == "through" else "selecting what faces you")
        if view.look_of.shading != "clay":
            words.append(view.look_of.shading)
        if view.look_of.section is not None:
            words.append("cut open")
        painter.setFont(text_font(8.5))
        painter.setPen(colour(view.theme.ink if view.is_active else view.theme.quiet))
        if view.is_active:
            painter.setFont(text_font(8.5, QFont.Weight.DemiBold))
        text = "  ·  ".join(words) + "  ▾"
        self.label = QRectF(
            8, 8, painter.fontMetrics().horizontalAdvance(text) + 16, painter.fontMetrics().height() + 8
        )
        pen = painter.pen()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour(view.theme.panel, 0.82))
        painter.drawRoundedRect(self.label, 4, 4)
        painter.setPen(pen)
        painter.drawText(self.label, Qt.AlignmentFlag.AlignCenter, text)
        if view.is_active:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour(view.theme.selection, 0.6), 2.0))
            painter.drawRect(QRectF(1, 1, self.width() - 2, self.height() - 2))

    def _draw_looks(self, painter: QPainter) -> None:
        """The looks that a second key gives, each with its letter, those that are on with a tick."""
        theme, looks = self.view.theme, self.view.hands.looks
        painter.setFont(text_font(9.5))
        width = max((painter.fontMetrics().horizontalAdvance(title) for _, title, _ in looks), default=0) + 76
        card = QRectF(
            (self.width() - width) / 2, (self.height() - 24 * len(looks)) / 2 - 12, width, 24 * len(looks) + 20
        )
        painter.setPen(QPen(colour(theme.line), 1.0))
        painter.setBrush(colour(theme.panel, 0.97))
        painter.drawRoundedRect(card, 7, 7)
        for row, (letter, title, is_on) in enumerate(looks):
            box = QRectF(card.x() + 14, card.y() + 10 + 24 * row, card.width() - 28, 24)
            painter.setFont(text_font(9.5, QFont.Weight.DemiBold))
            painter.setPen(colour(theme.selection))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, letter)
            painter.setFont(text_font(9.5))
            painter.setPen(colour(theme.ink))
            painter.drawText(box.adjusted(26, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, title)
            if is_on():
                painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, "✓")


def _label(painter: QPainter, place: QPointF, words: str, theme: Theme) -> None:
    """Words on a small card."""
    width = painter.fontMetrics().horizontalAdvance(words) + 16
    card = QRectF(place.x(), place.y(), width, 21)
    painter.setPen(QPen(colour(theme.line), 1.0))
    painter.setBrush(colour(theme.panel, 0.94))
    painter.drawRoundedRect(card, 4, 4)
    painter.setPen(colour(theme.ink))
    painter.drawText(card, Qt.AlignmentFlag.AlignCenter, words)
