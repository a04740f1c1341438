"""Ambient shadows: what lies in a hollow gets less of the light around, seen from how deep the picture is.

After McGuire, Osman, Bukowski & Hennessy 2011, "The Alchemy screen-space ambient obscurance algorithm": around each
place some others are looked at, and what stands before its plane takes light away. It is worked out at half the size,
once all that is solid is drawn, and laid over it.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import moderngl
import numpy as np

from levelloop.app.view.camera import Camera
from levelloop.app.view.render.uniforms import tell

REACH = 0.035  # of the camera's distance: so far around a place others are looked at
STRENGTH = 0.75  # of the light that a place in a deep hollow loses

HOLLOWS = (
    """#version 330
    in vec2 corner; out vec2 at;
    void main() { at = corner; gl_Position = vec4(corner * 2.0 - 1.0, 0.0, 1.0); }""",
    """#version 330
    uniform sampler2DMS depth; uniform mat4 to_view; uniform vec2 size; uniform float reach; uniform float per_mm;
    uniform float perspective;
    in vec2 at; out vec4 dark;
    vec3 seen(ivec2 pixel) {
        pixel = clamp(pixel, ivec2(0), ivec2(size) - 1);
        vec2 place = (vec2(pixel) + 0.5) / size;
        vec4 view = to_view * vec4(vec3(place, texelFetch(depth, pixel, 0).r) * 2.0 - 1.0, 1.0);
        return view.xyz / view.w;
    }
    void main() {
        ivec2 pixel = ivec2(at * size);
        dark = vec4(0.0);
        if (texelFetch(depth, pixel, 0).r >= 1.0) return;
        vec3 p = seen(pixel);
        // Across the rim of what is in front the nearer side is the surface.
        vec3 right = seen(pixel + ivec2(1, 0)) - p; vec3 left = p - seen(pixel - ivec2(1, 0));
        vec3 above = seen(pixel + ivec2(0, 1)) - p; vec3 below = p - seen(pixel - ivec2(0, 1));
        vec3 across = abs(right.z) < abs(left.z) ? right : left;
        vec3 n = normalize(cross(across, abs(above.z) < abs(below.z) ? above : below));
        float wide = clamp(reach * per_mm / (perspective > 0.5 ? -p.z : 1.0), 4.0, 0.25 * size.y);
        ivec2 cell = (pixel >> 1) & 3;
        float turn = float(cell.y * 4 + cell.x) * 0.39269908;
        float sum = 0.0;
        for (int i = 0; i < 10; i++) {
            float away = (float(i) + 0.5) / 10.0;
            float angle = turn + float(i) * 2.39996323;
            vec3 v = seen(pixel + ivec2(away * wide * vec2(cos(angle), sin(angle)))) - p;
            float square = dot(v, v);
            float near = max(1.0 - square / (reach * reach), 0.0);
            sum += near * near * max(dot(v, n) * inversesqrt(max(square, 1e-12)) - 0.12, 0.0);
        }
        dark = vec4(clamp(sum * 0.3, 0.0, 1.0));
    }""",
)
DARKEN = (
    HOLLOWS[0],
    """#version 330
    uniform sampler2D dark; uniform sampler2DMS depth; uniform vec2 size; uniform float strength;
    in vec2 at; out vec4 colour;
    void main() {
        colour = vec4(1.0);
        if (texelFetch(depth, ivec2(at * size), 0).r >= 1.0) return;
        // The mean of the sixteen neighbours, which have looked into as many directions.
        vec2 step = 2.0 / size;
        float sum = texture(dark, at + step * vec2(-1.0, -1.0)).r + texture(dark, at + step * vec2(1.0, -1.0)).r
                  + texture(dark, at + step * vec2(-1.0, 1.0)).r + texture(dark, at + step * vec2(1.0, 1.0)).r;
        colour.rgb = vec3(1.0 - strength * 0.25 * sum);
    }""",
)


class Hollows:
    """The ambient shadows of one view; programs: the renderer's, by name; corners: of a square."""

    def __init__(self, context: moderngl.Context, programs: Mapping[str, moderngl.Program], corners: Any) -> None:
        self._context = context
        self._find, self._darken = programs["hollows"], programs["darken"]
        self._found = context.vertex_array(self._find, [(corners, "2f", "corner")])
        self._laid = context.vertex_array(self._darken, [(corners, "2f", "corner")])
        self._half: tuple[tuple[int, int], Any, Any] | None = None

    def draw(
        self, onto: Any, depth: Any, camera: Camera, width: int, height: int, scissor: tuple[int, int, int, int] | None
    ) -> None:
        """Darkens what lies in hollows; onto: a framebuffer of colours alone; depth: how deep they are, a texture.

        scissor: the only part of it that is drawn on just now, None for all of it.

        Leaves the framebuffer, the size of what is drawn and how colours blend changed.
        """
        context = self._context
        picture, target = self._target(max(width // 2, 1), max(height // 2, 1))
        projection = camera.projection(width, height)
        depth.use(4)
        size = (float(width), float(height))
        tell(
            self._find,
            depth=4,
            to_view=np.linalg.inv(projection),
            size=size,
            reach=REACH * camera.distance,
            per_mm=float(projection[1, 1]) * height / 2.0,
            perspective=float(camera.perspective),
        )
        context.disable(moderngl.DEPTH_TEST | moderngl.BLEND)
        target.use()
        self._found.render(moderngl.TRIANGLE_STRIP)
        # Each side of a wipe has hollows of its own.
        onto.scissor = scissor
        onto.use()
        context.enable(moderngl.BLEND)
        # What is there times what is left of the light.
        context.blend_func = moderngl.DST_COLOR, moderngl.ZERO, moderngl.ZERO, moderngl.ONE  # type: ignore[assignment]
        picture.use(5)
        tell(self._darken, dark=5, depth=4, size=size, strength=STRENGTH)
        self._laid.render(moderngl.TRIANGLE_STRIP)
        context.enable(moderngl.DEPTH_TEST)

    def release(self) -> None:
        """Frees what it holds on the GPU."""
        held = [self._found, self._laid, *(self._half[1:] if self._half is not None else ())]
        for thing in held:
            thing.release()

    # Helpers

    def _target(self, width: int, height: int) -> tuple[Any, Any]:
        """A picture of that size, and the framebuffer that draws into it."""
        if self._half is None or self._half[0] != (width, height):
            if self._half is not None:
                for thing in self._half[1:]:
                    thing.release()
            picture = self._context.texture((width, height), 1)
            picture.repeat_x = picture.repeat_y = False
            self._half = ((width, height), picture, self._context.framebuffer([picture]))
        return self._half[1], self._half[2]
