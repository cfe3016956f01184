"""Path tracing of a scene, what each pixel shows, and the picture as a phone would keep it."""

from __future__ import annotations

import io
import os
from collections.abc import Callable
from datetime import date
from typing import Any

import cv2
import mitsuba as mi
import numpy as np
import numpy.typing as npt
from PIL import Image
from scipy.spatial import cKDTree

from tools.traced.base import Array
from tools.traced.camera import RIM, Part, TracedCamera
from tools.traced.scene import DAPPLED, HARD_SUN, TracedScene
from tools.traced.sheet import print_of_card
from tools.traced.solid import Mesh
from tools.traced.truth import IN_FRONT, SOIL

mi.set_variant(os.environ.get("TRACED_VARIANT", "llvm_ad_rgb"))
MODEL = "Path-traced camera"
MAX_DEPTH = 4
NOTHING, ROOT, TRUNK = 0, 1, 2
CROP = ("crop_offset_x", "crop_offset_y", "crop_width", "crop_height")
FAR_LIGHTS = (HARD_SUN, DAPPLED)


def _as_shape(mesh: Mesh, bsdf: dict[str, Any], places: Array | None = None) -> Any:
    made = mi.Mesh(
        "",
        len(mesh.corners),
        len(mesh.faces),
        has_vertex_texcoords=places is not None,
        props=_props(bsdf),
    )
    values = mi.traverse(made)
    values["vertex_positions"] = mesh.corners.astype(np.float32).ravel()
    values["faces"] = mesh.faces.astype(np.uint32).ravel()
    if places is not None:
        values["vertex_texcoords"] = places.astype(np.float32).ravel()
    else:
        made.add_attribute("vertex_color", 3, mesh.colours.astype(np.float32).ravel())
    values.update()
    return made


def _props(bsdf: dict[str, Any]) -> Any:
    props = mi.Properties()
    props["bsdf"] = mi.load_dict(bsdf)
    return props


def _matte(wet: bool = False) -> dict[str, Any]:
    colour = {"type": "mesh_attribute", "name": "vertex_color"}
    if not wet:
        return {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": colour}}
    return {
        "type": "twosided",
        "bsdf": {"type": "principled", "base_color": colour, "roughness": 0.28, "specular": 0.6},
    }


def _paper() -> dict[str, Any]:
    sheet = np.repeat(print_of_card()[::1, :, None], 3, axis=2).astype(np.float32)
    picture = {"type": "bitmap", "bitmap": mi.Bitmap(sheet), "raw": True, "filter_type": "bilinear"}
    return {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": picture}}


def _sensor(camera: TracedCamera, samples: int, part: Part | None = None) -> dict[str, Any]:
    width, height = round(camera.width * RIM), round(camera.height * RIM)
    sight, down = camera.turn[2], camera.turn[1]
    view = mi.ScalarTransform4f().look_at(
        origin=camera.place.tolist(), target=(camera.place + sight).tolist(), up=(-down).tolist()
    )
    across = 2 * np.degrees(np.arctan(width / 2 / camera.focal_px))
    return {
        "type": "perspective",
        "fov": float(across),
        "fov_axis": "x",
        "to_world": view,
        "near_clip": 10.0,
        "far_clip": 9000.0,
        "film": {
            "type": "hdrfilm",
            "width": width,
            "height": height,
            "rfilter": {"type": "gaussian"},
            "component_format": "float32",
            **({} if part is None else dict(zip(CROP, part, strict=True))),
        },
        "sampler": {"type": "independent", "sample_count": samples},
    }


def trace(
    scene: TracedScene, samples: int = 24, denoised: bool = False, part: Part | None = None
) -> tuple[Array, Array, npt.NDArray[np.int32]]:
    """Linear light (h, w, 3), place seen (h, w, 3), mm, and number of the mesh seen (h, w).

    All in the picture as the lens bends it; which number is which says `_number_of`. What lies
    outside `part` is left dark.
    """
    world: dict[str, Any] = {"type": "scene"}
    for name, mesh in scene.meshes.items():
        world[f"s_{name}"] = _as_shape(mesh, _matte(scene.wet and name in ("base", "soil")))
    if scene.sheet is not None:
        mesh, places = scene.sheet.mesh()
        # The renderer counts a picture's rows from its top.
        world["s_sheet"] = _as_shape(mesh, _paper(), np.array([0, 1]) + places * np.array([1, -1]))
    if scene.leaves is not None:
        world["s_leaves"] = _as_shape(scene.leaves, _matte())
    light = scene.light
    world["sky"] = {"type": "constant", "radiance": {"type": "rgb", "value": light.sky.tolist()}}
    if light.sun.max() > 0:
        world["sun"] = _sun(scene)
    world["integrator"] = {
        "type": "aov",
        "aovs": "pos:position,shape:shape_index",
        "img": {"type": "path", "max_depth": MAX_DEPTH},
    }
    made = mi.load_dict(world)
    sensor = mi.load_dict(_sensor(scene.camera, samples, part))
    out = np.array(mi.render(made, sensor=sensor, spp=samples, seed=scene.seed & 0xFFFF))
    light_seen = out[..., :3]
    if denoised:
        import mitsuba_oidn

        light_seen = np.array(
            mitsuba_oidn.denoise(np.ascontiguousarray(light_seen, np.float32), hdr=True)
        )
    sharp = np.array(mi.render(made, sensor=mi.load_dict(_sharp(scene.camera, part)), spp=1))
    size = np.array([scene.camera.width, scene.camera.height])
    corner = np.round(size * RIM) / 2 - size / 2 - ([0, 0] if part is None else part[:2])
    places = np.asarray(scene.camera.straight_pixels() + corner, np.float32)

    rim = cv2.BORDER_REPLICATE if part is None else cv2.BORDER_CONSTANT

    def bent(picture: Array, how: int) -> Array:
        return np.asarray(
            cv2.remap(
                np.asarray(picture, np.float32),
                places[..., 0],
                places[..., 1],
                how,
                borderMode=rim,
            )
        )

    start = sharp.shape[2] - 4
    return (
        bent(light_seen, cv2.INTER_CUBIC),
        bent(sharp[..., start : start + 3], cv2.INTER_NEAREST),
        bent(sharp[..., start + 3], cv2.INTER_NEAREST).astype(np.int32),
    )


def _sharp(camera: TracedCamera, part: Part | None) -> dict[str, Any]:
    """For places and numbers: one ray in the middle of each pixel."""
    sensor = _sensor(camera, 1, part)
    sensor["film"]["rfilter"] = {"type": "box"}
    sensor["sampler"] = {"type": "stratified", "sample_count": 1, "jitter": False}
    return sensor


def _sun(scene: TracedScene) -> dict[str, Any]:
    light = scene.light
    colour = {"type": "rgb", "value": light.sun.tolist()}
    if light.kind in FAR_LIGHTS:
        return {"type": "directional", "direction": light.toward.tolist(), "irradiance": colour}
    # A lamp or a bright cloud: soft shadows.
    far, wide = 1500.0, 420.0
    place = -light.toward * far
    turn = mi.ScalarTransform4f().look_at(origin=place.tolist(), target=[0, 0, 0], up=[0.1, 1, 0.2])
    strength = light.sun * (far / wide) ** 2 / 4
    return {
        "type": "rectangle",
        "to_world": turn @ mi.ScalarTransform4f().scale(wide),
        "emitter": {"type": "area", "radiance": {"type": "rgb", "value": strength.tolist()}},
    }


def shows(
    scene: TracedScene,
    places: Array,
    numbers: npt.NDArray[np.int32],
    see: Callable[[Array], Array] | None = None,
) -> tuple[npt.NDArray[np.uint8], npt.NDArray[np.int16], Array]:
    """What each pixel shows: nothing of the base, root or trunk; the tube; its heading (h, w, 2).

    The heading is the tube's direction outward, unit length, 0 off the roots: in the picture, or
    where `see` takes places (n, 3) to.
    """
    base = scene.base
    seen = np.zeros(numbers.shape, np.uint8)
    tube_at = np.full(numbers.shape, -1, np.int16)
    heading = np.zeros((*numbers.shape, 2))
    on = numbers == _number_of(scene, "base")
    points = places[on]
    if not len(points):
        return seen, tube_at, heading
    lines = np.concatenate([t.middle for t in base.tubes])
    radius = np.concatenate([t.radius for t in base.tubes])
    owner = np.concatenate([np.full(len(t.middle), i) for i, t in enumerate(base.tubes)])
    ahead = np.concatenate([np.gradient(t.middle, axis=0) for t in base.tubes])
    away, which = cKDTree(lines).query(points, k=3)
    # Of tubes nearby the one whose skin lies nearest.
    best = np.abs(away - radius[which]).argmin(1)
    at = which[np.arange(len(which)), best]
    out = np.hypot(*(points[:, :2] - base.axis_at(np.maximum(0, points[:, 2]))).T)
    turn = np.arctan2(*(points[:, :2] - base.axis_at(np.maximum(0, points[:, 2]))).T[::-1])
    inner = base.radius_at(turn, points[:, 2])
    trunk = out < inner + 0.12 * base.radius_mm
    seen[on] = np.where(trunk, TRUNK, ROOT)
    tube_at[on] = np.where(trunk, -1, owner[at])
    see = see or scene.camera.see
    front = see(lines + ahead) - see(lines)
    front = front / np.maximum(1e-9, np.hypot(*front.T))[:, None]
    heading[on] = np.where(trunk[:, None], 0.0, front[at])
    return seen, tube_at, heading


def roots_shown(
    scene: TracedScene, places: Array, numbers: npt.NDArray[np.int32]
) -> npt.NDArray[np.int16]:
    """Number of the tube each pixel shows; IN_FRONT for trunk, card and leaves, else SOIL."""
    seen, tube_at, _ = shows(scene, places, numbers)
    front = seen == TRUNK
    for name, there in (("sheet", scene.sheet), ("leaves", scene.leaves)):
        if there is not None:
            front |= numbers == _number_of(scene, name)
    return np.where(front, IN_FRONT, np.where(tube_at < 0, SOIL, tube_at)).astype(np.int16)


def _number_of(scene: TracedScene, name: str) -> int:
    """The number a mesh bears in the picture: the renderer sorts what it is given by name."""
    light = scene.light
    names = [f"s_{mesh}" for mesh in scene.meshes]
    names += ["s_sheet"] if scene.sheet is not None else []
    names += ["s_leaves"] if scene.leaves is not None else []
    # Only a lamp is a shape; the sun is too far away to be one.
    names += ["sun"] if light.sun.max() > 0 and light.kind not in FAR_LIGHTS else []
    return sorted(names).index(f"s_{name}") + 1


def develop(linear: Array, rng: np.random.Generator, hard: float) -> npt.NDArray[np.uint8]:
    """The picture a camera makes of light: exposure, white balance, tone, softness and noise."""
    # As a camera meters: the bright third a little under white, whatever is in view.
    level = np.percentile(linear.mean(-1), 80)
    exposure = 0.34 / max(1e-6, level) * 2 ** float(rng.normal(0, 0.25 + 0.2 * hard))
    balance = np.exp(rng.normal(0, 0.03 + 0.03 * hard, 3))
    shot = linear * exposure * balance
    deviation = float(rng.uniform(0.001, 0.006 + 0.012 * hard))
    shot = shot + rng.standard_normal(shot.shape) * deviation * np.sqrt(np.maximum(shot, 0.02))
    # A soft shoulder, as phones have it, then the usual curve.
    shot = np.where(shot > 0.75, 0.75 + 0.25 * np.tanh((shot - 0.75) / 0.25), shot)
    coded = np.clip(shot, 0, 1) ** (1 / 2.2)
    if rng.random() < 0.5:
        coded = np.clip(coded + rng.uniform(-0.03, 0.06) * np.sin(2 * np.pi * coded), 0, 1)
    soft = float(rng.uniform(0.45, 0.8 + 0.7 * hard))
    picture = cv2.GaussianBlur(coded.astype(np.float32), (0, 0), soft)
    sharpened = picture + float(rng.uniform(0, 0.7)) * (
        picture - cv2.GaussianBlur(picture, (0, 0), 1.4)
    )
    return np.asarray(np.clip(sharpened, 0, 1) * 255 + 0.5, np.uint8)


def as_jpeg(
    picture: npt.NDArray[np.uint8], taken_on: date, focal_35mm: float, quality: int
) -> bytes:
    """JPEG with date and focal length, the latter rounded as cameras write it."""
    exif = Image.Exif()
    exif[0x0110] = MODEL
    exif[0x0132] = f"{taken_on:%Y:%m:%d} 12:00:00"
    details = exif.get_ifd(0x8769)
    details[0x9003] = f"{taken_on:%Y:%m:%d} 12:00:00"
    details[0xA405] = round(focal_35mm)
    out = io.BytesIO()
    Image.fromarray(picture).save(out, "JPEG", quality=quality, exif=exif)
    return out.getvalue()
