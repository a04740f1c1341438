"""The process that renders: reads a scene as JSON, tells how far it is on its output, writes the picture.

`python -m levelloop.still.worker SCENE.json PICTURE [SO_FAR.png]`. It is on its own so that whatever the renderer does,
the window and what is open in it go on.
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from typing import Any

import numpy as np

from levelloop.still.lights import AROUND, GROUND, PANELS

PASS = 4  # rays a pixel between two times that it tells how far it is
SHOWN_EVERY = 1.0  # seconds between two pictures of what there is so far
GROUND_REACH = 60.0  # times the radius of the scene that the ground goes on for
NEAREST = 1e-5  # of how far the scene is away and large: nearer is not seen


def main(scene_path: str, picture_path: str, so_far: str = "") -> None:
    """Renders a scene; a line of the output is the share that is done. so_far: where it shows what there is by then."""
    import mitsuba

    # The variant that works everywhere; the faster one ends the process where its compiler does not fit.
    mitsuba.set_variant("scalar_rgb")
    values = json.loads(Path(scene_path).read_text(encoding="utf-8"))
    scene = mitsuba.load_dict(_scene(mitsuba, values))
    wanted, done = int(values["samples"]), 0
    total: Any = None
    shown = -SHOWN_EVERY
    while done < wanted:
        # The first one is there soonest.
        count = min(PASS if done else 1, wanted - done)
        picture = np.array(mitsuba.render(scene, spp=count, seed=done))  # type: ignore[arg-type]
        total = picture * count if total is None else total + picture * count
        done += count
        if so_far and time.monotonic() - shown >= SHOWN_EVERY:
            fresh = Path(so_far).with_suffix(".new.png")
            _write(mitsuba, total / done, fresh)
            fresh.replace(so_far)
            shown = time.monotonic()
        print(f"{done / wanted:.4f}", flush=True)
    _write(mitsuba, total / wanted, Path(picture_path))


# Helpers


def _scene(mitsuba: Any, values: dict[str, Any]) -> dict[str, Any]:
    scene: dict[str, Any] = {"type": "scene", "integrator": {"type": "path", "max_depth": 12, "hide_emitters": True}}
    scene["sensor"] = _sensor(mitsuba, values)
    for number, shape in enumerate(values["shapes"]):
        scene[f"shape{number}"] = _mesh(mitsuba, f"shape{number}", shape)
    scene.update(_lights(mitsuba, values))
    if values["ground"] is not None:
        radius = values["radius"]
        at = [*values["middle"][:2], values["ground"] - 1e-4 * radius]
        turn = mitsuba.ScalarTransform4f
        scene["ground"] = {
            "type": "disk",
            "to_world": turn().translate(at).scale(GROUND_REACH * radius),
            "bsdf": {"type": "diffuse", "reflectance": {"type": "rgb", "value": list(GROUND)}},
        }
    return scene


def _sensor(mitsuba: Any, values: dict[str, Any]) -> dict[str, Any]:
    camera = values["camera"]
    look = mitsuba.ScalarTransform4f().look_at(camera["origin"], camera["target"], camera["up"])
    film = {
        "type": "hdrfilm",
        "width": values["width"],
        "height": values["height"],
        "pixel_format": "rgba",
        "rfilter": {"type": "gaussian"},
    }
    across, up = camera["shift"]
    if camera["lens"] > 0:
        sensor = {
            "type": "thinlens",
            "fov": camera["field_of_view"],
            "fov_axis": "y",
            "to_world": look,
            "aperture_radius": camera["lens"],
            "focus_distance": camera["distance"],
        }
    elif camera["perspective"]:
        sensor = {
            "type": "perspective",
            "fov": camera["field_of_view"],
            "fov_axis": "y",
            "to_world": look,
            # In shares of the picture's width and height; ours are of its height.
            "principal_point_offset_x": across * values["height"] / values["width"],
            "principal_point_offset_y": -up,
        }
    else:
        half = camera["half_height"]
        aspect = values["width"] / values["height"]
        moved = look.translate([2 * half * across, -2 * half * up, 0.0])
        sensor = {"type": "orthographic", "to_world": moved.scale([half * aspect, half * aspect, 1.0])}
    # By the scene's size: the renderer's own clips, in its units, cut off large scenes and the near side of tiny ones.
    away = float(np.linalg.norm(np.subtract(camera["origin"], values["middle"])))
    clips = {"near_clip": NEAREST * (away + values["radius"]), "far_clip": away + 2.0 * GROUND_REACH * values["radius"]}
    return {**sensor, **clips, "film": film, "sampler": {"type": "independent"}}


def _mesh(mitsuba: Any, name: str, shape: dict[str, Any]) -> Any:
    """A shape from its triangles, each with points and normals of its own."""
    arrays = np.load(shape["file"])
    points, normals, uv = arrays["points"], arrays["normals"], arrays["uv"]
    properties = mitsuba.Properties()
    surface = mitsuba.load_dict(_bsdf(shape["material"]))
    properties["mesh_bsdf"] = surface
    glow = shape["material"]["glow"]
    if glow > 0:
        light = [glow * channel for channel in shape["material"]["colour"]]
        emitter = {"type": "area", "radiance": {"type": "rgb", "value": light}}
        properties["emitter"] = mitsuba.load_dict(emitter)
    count = len(points)
    laid_on = len(uv) == count
    mesh = mitsuba.Mesh(
        name, count, count // 3, has_vertex_normals=True, has_vertex_texcoords=laid_on, props=properties
    )
    parameters = mitsuba.traverse(mesh)
    if laid_on:
        # The renderer counts down from the first row of an image; UV counts up.
        parameters["vertex_texcoords"] = (uv * [1, -1] + [0, 1]).astype(np.float32).ravel()
    parameters["vertex_positions"] = points.ravel()
    parameters["vertex_normals"] = normals.ravel()
    parameters["faces"] = np.arange(count, dtype=np.uint32)
    parameters.update()
    return mesh


def _bsdf(material: dict[str, Any]) -> dict[str, Any]:
    colour = {"type": "rgb", "value": material["colour"]}
    if material["image"]:
        colour = {"type": "bitmap", "filename": material["image"]}
    clear = 1.0 - material["opacity"]
    surface: dict[str, Any] = {
        "type": "principled",
        "base_color": colour,
        "roughness": max(material["roughness"], 0.02),
        "metallic": material["metalness"],
        "eta": max(material["refraction"], 1.001),
    }
    if clear > 0 and material["metalness"] < 1:
        surface["spec_trans"] = clear
        return surface
    if material["roughness"] >= 0.999 and material["metalness"] == 0:
        # Nothing shines: Lambert's surface, exactly.
        surface = {"type": "diffuse", "reflectance": colour}
    return {"type": "twosided", "bsdf": surface}


def _lights(mitsuba: Any, values: dict[str, Any]) -> dict[str, Any]:
    middle, radius, name = np.array(values["middle"]), values["radius"], values["light"]
    around = [AROUND[name]] * 3
    lights: dict[str, Any] = {"around": {"type": "constant", "radiance": {"type": "rgb", "value": around}}}
    for number, (place, size, strength, tint) in enumerate(PANELS[name]):
        origin = middle + radius * np.array(place)
        look = mitsuba.ScalarTransform4f().look_at(origin.tolist(), middle.tolist(), [0.0, 0.0, 1.0])
        lights[f"light{number}"] = {
            "type": "rectangle",
            "to_world": look.scale(0.5 * size * radius),
            "emitter": {
                "type": "area",
                "radiance": {"type": "rgb", "value": [strength * channel for channel in tint]},
            },
        }
    return lights


def _write(mitsuba: Any, picture: Any, path: Path) -> None:
    bitmap = mitsuba.Bitmap(picture.astype(np.float32), mitsuba.Bitmap.PixelFormat.RGBA)
    if path.suffix.lower() == ".png":
        bitmap = bitmap.convert(mitsuba.Bitmap.PixelFormat.RGBA, mitsuba.Struct.Type.UInt8, srgb_gamma=True)
    bitmap.write(str(path))


if __name__ == "__main__":
    main(*sys.argv[1:4])
