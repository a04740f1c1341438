"""Named cameras as UsdGeomCamera, so that any reader of a stage can look through them."""

from __future__ import annotations

from typing import Any

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.document.cameras import NamedCamera, view_axes

HEIGHT = 24.0  # of the film, in tenths of scene units as OpenUSD has it; the field of view follows from it


def write_cameras(stage: Any, cameras: tuple[NamedCamera, ...]) -> None:
    """Writes each camera under /Model/Cameras."""
    from pxr import Gf, UsdGeom

    for number, camera in enumerate(cameras):
        prim = UsdGeom.Camera.Define(stage, f"/Model/Cameras/camera{number + 1}")
        prim.GetPrim().SetDisplayName(camera.name)
        axes = view_axes(camera.turn, camera.tilt)
        place = np.eye(4)
        place[:3, :3] = axes
        place[3, :3] = np.array(camera.target) + camera.distance * axes[2]
        prim.AddTransformOp().Set(Gf.Matrix4d(place.tolist()))
        half = float(np.tan(np.radians(camera.field_of_view) / 2.0))
        height = HEIGHT if camera.perspective else 20.0 * half * camera.distance
        prim.CreateProjectionAttr(UsdGeom.Tokens.perspective if camera.perspective else UsdGeom.Tokens.orthographic)
        prim.CreateVerticalApertureAttr(height)
        prim.CreateHorizontalApertureAttr(height * 1.5)
        prim.CreateFocalLengthAttr(HEIGHT / (2.0 * half))
        prim.CreateHorizontalApertureOffsetAttr(-camera.shift[0] * height)
        prim.CreateVerticalApertureOffsetAttr(-camera.shift[1] * height)
        prim.CreateFocusDistanceAttr(camera.distance)


def read_cameras(stage: Any, to_ours: Floats) -> tuple[NamedCamera, ...]:
    """The cameras of a foreign stage; what they are rolled by is left out.

    to_ours: (4, 4) from the stage's units and up axis to millimetres and z up.
    """
    from pxr import Usd, UsdGeom

    cache = UsdGeom.XformCache()
    found: list[NamedCamera] = []
    for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
        if not prim.IsA(UsdGeom.Camera):
            continue
        camera = UsdGeom.Camera(prim)
        place = np.array(cache.GetLocalToWorldTransform(prim), dtype=np.float64) @ to_ours
        forward = -place[2, :3] / max(float(np.linalg.norm(place[2, :3])), 1e-12)
        scale = float(np.linalg.norm(to_ours[0, :3]))
        distance = float(camera.GetFocusDistanceAttr().Get() or 0.0) * scale or 120.0
        height = float(camera.GetVerticalApertureAttr().Get() or HEIGHT)
        perspective = camera.GetProjectionAttr().Get() != UsdGeom.Tokens.orthographic
        length = float(camera.GetFocalLengthAttr().Get() or HEIGHT)
        half = height / (2.0 * length) if perspective else height * scale / (20.0 * distance)
        across = float(camera.GetHorizontalApertureOffsetAttr().Get() or 0.0)
        up = float(camera.GetVerticalApertureOffsetAttr().Get() or 0.0)
        name = str(prim.GetDisplayName() or prim.GetName())
        taken = {known.name for known in found}
        target = place[3, :3] + distance * forward
        found.append(
            NamedCamera(
                name if name not in taken else f"{name} {len(found) + 1}",
                (float(target[0]), float(target[1]), float(target[2])),
                distance,
                float(np.degrees(np.arctan2(-forward[0], forward[1]))) if abs(forward[2]) < 1 - 1e-9 else 0.0,
                float(np.degrees(np.arcsin(np.clip(-forward[2], -1.0, 1.0)))),
                perspective,
                float(np.clip(2.0 * np.degrees(np.arctan(half)), 1.0, 150.0)),
                (-across / height, -up / height),
            )
        )
    return tuple(found)
