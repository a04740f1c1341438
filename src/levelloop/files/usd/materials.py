"""Materials in USD: UsdPreviewSurface, colours linear, an image as UsdUVTexture."""

from __future__ import annotations

from typing import Any

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.document.materials import Material


def write_material(stage: Any, path: str, material: Material, is_shipped: bool = False) -> None:
    """Gives a material's prim its surface; is_shipped: it is not the document's own, and is not read as such."""
    from pxr import Gf, Sdf, UsdShade

    prim = UsdShade.Material.Define(stage, path)
    prim.GetPrim().SetDisplayName(material.name)
    shader = UsdShade.Shader.Define(stage, f"{path}/surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    if is_shipped:
        prim.GetPrim().CreateAttribute("levelloop:shipped", Sdf.ValueTypeNames.Bool, custom=True).Set(True)
    linear = linear_of(material.colour)
    kinds = Sdf.ValueTypeNames
    colour = shader.CreateInput("diffuseColor", kinds.Color3f)
    colour.Set(Gf.Vec3f(*linear.tolist()))
    for name, value in (
        ("roughness", material.roughness),
        ("metallic", material.metalness),
        ("opacity", material.opacity),
        ("ior", material.refraction),
    ):
        shader.CreateInput(name, kinds.Float).Set(value)
    if material.glow > 0:
        shader.CreateInput("emissiveColor", kinds.Color3f).Set(Gf.Vec3f(*(material.glow * linear).tolist()))
        # What glows black says nothing of how much.
        prim.GetPrim().CreateAttribute("levelloop:glow", kinds.Double, custom=True).Set(material.glow)
    if material.image:
        reader = UsdShade.Shader.Define(stage, f"{path}/uv")
        reader.CreateIdAttr("UsdPrimvarReader_float2")
        reader.CreateInput("varname", kinds.String).Set("st")
        texture = UsdShade.Shader.Define(stage, f"{path}/image")
        texture.CreateIdAttr("UsdUVTexture")
        texture.CreateInput("file", kinds.Asset).Set(Sdf.AssetPath(material.image))
        texture.CreateInput("sourceColorSpace", kinds.Token).Set("sRGB")
        texture.CreateInput("st", kinds.Float2).ConnectToSource(reader.CreateOutput("result", kinds.Float2))
        colour.ConnectToSource(texture.CreateOutput("rgb", kinds.Float3))
    prim.CreateSurfaceOutput().ConnectToSource(shader.CreateOutput("surface", kinds.Token))


def read_material(prim: Any, name: str) -> Material | None:
    """A material by its UsdPreviewSurface; None where it has none, or is a shipped one.

    What is no finite number is left as it is usual.
    """
    from pxr import UsdShade

    shader = UsdShade.Material(prim).ComputeSurfaceSource()[0]
    if prim.GetAttribute("levelloop:shipped"):
        return None
    if not shader or shader.GetIdAttr().Get() != "UsdPreviewSurface":
        return None
    usual = Material(name)

    def number(key: str, other: float, low: float, high: float) -> float:
        given = shader.GetInput(key)
        value = given.Get() if given else None
        if not isinstance(value, (int, float)) or not np.isfinite(value):
            return other
        # As it was typed: the file has single precision.
        return float(f"{min(max(float(value), low), high):.6g}")

    def colour(key: str) -> Floats | None:
        given = shader.GetInput(key)
        value = given.Get() if given else None
        found = np.array(value if value is not None else (), dtype=np.float64)
        return found if found.shape == (3,) and np.isfinite(found).all() else None

    base, light = colour("diffuseColor"), colour("emissiveColor")
    kept = prim.GetAttribute("levelloop:glow")
    glow = kept.Get() if kept else None
    if not isinstance(glow, float) or not np.isfinite(glow) or glow < 0:
        glow = 0.0
        if light is not None and base is not None and base.max() > 0:
            glow = float(f"{light.max() / base.max():.6g}")
    return Material(
        name,
        colour_of(base) if base is not None else usual.colour,
        number("roughness", usual.roughness, 0.0, 1.0),
        number("metallic", usual.metalness, 0.0, 1.0),
        number("opacity", usual.opacity, 0.0, 1.0),
        number("ior", usual.refraction, 1.0, 10.0),
        min(glow, 1000.0),
        _image(shader),
    )


def linear_of(colour: str) -> Floats:
    """A colour #RRGGBB as linear light: (3,). The curve of sRGB (IEC 61966-2-1)."""
    seen = np.array([int(colour[place : place + 2], 16) for place in (1, 3, 5)]) / 255.0
    return np.asarray(np.where(seen <= 0.04045, seen / 12.92, ((seen + 0.055) / 1.055) ** 2.4))


def colour_of(linear: Floats) -> str:
    """Linear light (3,) as the nearest colour #RRGGBB."""
    light = np.clip(linear, 0.0, 1.0)
    seen = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    return "#" + "".join(f"{round(float(channel) * 255):02X}" for channel in seen)


def _image(shader: Any) -> str:
    """The path of the image that the base colour comes from; empty where there is none."""
    from pxr import UsdShade

    given = shader.GetInput("diffuseColor")
    source = given.GetConnectedSources()[0] if given else []
    for one in source:
        texture = UsdShade.Shader(one.source.GetPrim())
        if texture and texture.GetIdAttr().Get() == "UsdUVTexture" and texture.GetInput("file"):
            asset = texture.GetInput("file").Get()
            return str(asset.path) if asset is not None else ""
    return ""
