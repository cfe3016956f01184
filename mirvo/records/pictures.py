"""Pictures made from photos: smaller ones to show, and pixels to look at."""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext
from threading import Lock
from typing import TYPE_CHECKING, Any

from PIL import Image

from mirvo.core.errors import BadInput

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

TYPES = {
    "JPEG": ("image/jpeg", "jpg"),
    "MPO": ("image/jpeg", "jpg"),
    "PNG": ("image/png", "png"),
    "WEBP": ("image/webp", "webp"),
    "HEIF": ("image/heic", "heic"),
}
# A small file may claim a huge picture; it is turned away before it is decoded.
MAX_PIXELS = 120_000_000
MIN_SIDE = 200
PASS = b"\xff\xda"
# Larger pictures are opened one at a time, whoever asks for them.
LARGE_PIXELS = 16_000_000
SIZES = {"desk": 2016, "page": 900, "thumb": 320}  # longest side, px; from large to small
# A decoder's own size within 5 % of what is wanted is taken as it is.
HARDLY_LESS = 0.95
QUARTER_TURNS = {5, 6, 7, 8}
# What makes a picture upright, by EXIF orientation; 1 is upright already.
TURNED = {
    2: Image.Transpose.FLIP_LEFT_RIGHT,
    3: Image.Transpose.ROTATE_180,
    4: Image.Transpose.FLIP_TOP_BOTTOM,
    5: Image.Transpose.TRANSPOSE,
    6: Image.Transpose.ROTATE_270,
    7: Image.Transpose.TRANSVERSE,
    8: Image.Transpose.ROTATE_90,
}
_LARGE = Lock()
# No photo is so long and narrow, none packs so well, none builds up in so many passes; what claims
# it would cost gigabytes or minutes to open.
MAX_ASPECT, MAX_PIXELS_A_BYTE, MAX_PASSES = 12, 2000, 100
EXIF_DETAIL, EXIF_TAKEN, EXIF_FOCAL_35MM, EXIF_ORIENTATION = 0x8769, 0x9003, 0xA405, 0x0112
EXIF_WIDTH, EXIF_HEIGHT = 0xA002, 0xA003


def smaller(content: bytes) -> dict[str, bytes]:
    """JPEGs of the upright picture in all `SIZES`, each made from the one before.

    The original is decoded once, by the decoder itself to half or less where that is still
    at least as large as the largest size asked for.
    """
    image = open_picture(content, "photo")
    wanted = _easily_decoded(max(image.size), max(SIZES.values()))
    share = wanted / max(image.size)
    image.draft("RGB", (int(image.width * share), int(image.height * share)))
    orientation, _ = exif_of(image)
    made: dict[str, bytes] = {}
    with _one_large_at_a_time(image):
        image.load()
        # To convert what is RGB already would copy it for nothing.
        picture = image if image.mode == "RGB" else _converted(image, "RGB")
        picture = _upright(_shrunk(picture, min(max(SIZES.values()), wanted)), orientation)
    for name, longest in SIZES.items():
        picture = _shrunk(picture, longest)
        made[name] = _packed(picture)
    return made


def _easily_decoded(side: int, longest: int) -> int:
    """A half, quarter or eighth of a side where that is hardly less than `longest`, px.

    A JPEG comes so small straight from its decoder, at a fraction of the time.
    """
    parts = (side // part for part in (2, 4, 8))
    return next((part for part in parts if HARDLY_LESS * longest <= part <= longest), longest)


def _converted(image: Image.Image, mode: str) -> Image.Image:
    """A picture as RGB or grey, "L", of eight bits each."""
    if image.mode.startswith("I;16"):
        # Pillow would clip sixteen bits of grey to white; the upper eight are what is seen.
        image = image.point(lambda level: level * (1 / 256), "L")
    return image.convert(mode)


def _shrunk(picture: Image.Image, longest: int) -> Image.Image:
    """A picture with no side longer than `longest` px; never enlarged."""
    scale = longest / max(picture.size)
    if scale >= 1:
        return picture
    width, height = (max(1, round(side * scale)) for side in picture.size)
    # By whole numbers first: that is several times quicker and as fine.
    whole = max(picture.size) // longest
    if whole > 1 and min(picture.size) >= whole:
        picture = picture.reduce(whole)
    if picture.size == (width, height):
        return picture
    return picture.resize((width, height), Image.Resampling.BILINEAR)


def _upright(picture: Image.Image, orientation: int) -> Image.Image:
    """A picture turned as its EXIF orientation says."""
    return picture.transpose(TURNED[orientation]) if orientation in TURNED else picture


def grey_of(content: bytes) -> npt.NDArray[np.uint8]:
    """The upright picture in full size as grey levels, (height, width)."""
    return _pixels_of(content, "L")


def colour_of(content: bytes) -> npt.NDArray[np.uint8]:
    """The upright picture in full size, (height, width, 3), red, green, blue."""
    return _pixels_of(content, "RGB")


def jpeg_of(pixels: npt.NDArray[np.uint8]) -> bytes:
    """A picture (height, width, 3) as JPEG."""
    return _packed(Image.fromarray(pixels))


def _packed(picture: Image.Image) -> bytes:
    """A picture as JPEG, without anything its file said of itself."""
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=85, comment=b"")
    return out.getvalue()


def _pixels_of(content: bytes, mode: str) -> npt.NDArray[np.uint8]:
    import numpy as np  # heavy: only where a photo is really looked at

    image = open_picture(content, "photo")
    orientation, _ = exif_of(image)
    with _one_large_at_a_time(image):
        return np.array(_upright(_converted(image, mode), orientation), dtype=np.uint8)


def refuse_bombs(image: Image.Image, content: bytes, file_name: str) -> None:
    """Turn away what is no photo by what it says of itself, before anything is decoded."""
    width, height = image.size
    pixels = width * height
    if pixels > MAX_PIXELS:
        raise BadInput(
            file_name,
            f"the picture has {pixels / 1e6:.0f} megapixels; at most 120 can be taken in",
        )
    if min(width, height) < MIN_SIDE:
        raise BadInput(file_name, f"{width} × {height} px is too small to measure anything on")
    if max(width, height) > MAX_ASPECT * min(width, height):
        raise BadInput(file_name, f"{width} × {height} px is too long and narrow for a photo")
    if pixels > MAX_PIXELS_A_BYTE * len(content):
        raise BadInput(file_name, "the file is far too small for so many pixels; it is no photo")
    if image.format in ("JPEG", "MPO") and content.count(PASS) > MAX_PASSES:
        raise BadInput(file_name, "the file is built up in far too many passes; it is no photo")
    if image.format in ("PNG", "WEBP") and getattr(image, "n_frames", 1) > 1:
        raise BadInput(file_name, "this is a moving picture; use a still one")


def size_said(content: bytes) -> tuple[int, int] | None:
    """Width and height, px, the camera wrote into the file, as it held it; None where it did not.

    An editor that crops a photo often leaves them as they were.
    """
    _, detail = exif_of(open_picture(content, "photo"))
    width, height = detail.get(EXIF_WIDTH), detail.get(EXIF_HEIGHT)
    if isinstance(width, int) and isinstance(height, int) and min(width, height) > 0:
        return width, height
    return None


def open_picture(content: bytes, file_name: str) -> Image.Image:
    # Such files need a reader that is slow to load.
    if content[4:8] == b"ftyp":
        _know_heif()
    try:
        image = Image.open(io.BytesIO(content))
    except Image.DecompressionBombError:
        raise BadInput(
            file_name, "the picture claims far too many pixels; at most 120 megapixels"
        ) from None
    except Exception:  # what a reader makes of rubbish differs from reader to reader
        raise BadInput(
            file_name, "this is not a photo Mirvo can read; use JPEG, PNG, WebP or HEIC"
        ) from None
    if image.format not in TYPES:
        raise BadInput(
            file_name, f"{image.format} files cannot be read here; use JPEG, PNG, WebP, HEIC"
        )
    return image


def check_decodes(content: bytes, file_name: str) -> None:
    """A small decode shows a file that breaks off before it is accepted."""
    image = open_picture(content, file_name)
    # Decoded small: enough to find where a file breaks off, at a fraction of the time.
    image.draft("RGB", (256, 256))
    with damage_named(file_name), _one_large_at_a_time(image):
        image.load()


@contextmanager
def damage_named(file_name: str) -> Iterator[None]:
    """Raises BadInput for whatever a decoder stumbles on within."""
    try:
        yield
    except Exception:  # what a decoder makes of damage differs from decoder to decoder
        raise BadInput(file_name, "the picture breaks off or is damaged") from None


def _one_large_at_a_time(image: Image.Image) -> AbstractContextManager[object]:
    """Hold this while a picture is decoded; many large ones at once would fill the memory."""
    return _LARGE if image.width * image.height > LARGE_PIXELS else nullcontext()


def exif_of(image: Image.Image) -> tuple[int, dict[int, Any]]:
    """Orientation, 1 to 8, and what the camera said of the photo; rubbish says nothing."""
    try:
        exif = image.getexif()
        orientation, detail = exif.get(EXIF_ORIENTATION), dict(exif.get_ifd(EXIF_DETAIL))
    except Exception:  # cameras and editors write all kinds of rubbish there
        return 1, {}
    if isinstance(orientation, int) and orientation in TURNED:
        return orientation, detail
    return 1, detail


def _know_heif() -> None:
    from pillow_heif import register_heif_opener  # heavy: only when such a photo comes

    register_heif_opener()
