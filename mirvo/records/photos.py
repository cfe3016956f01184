"""The photo store: originals by content hash, never rewritten; derivatives made on demand."""

from __future__ import annotations

import hashlib
import io
import json
import os
import re
import tempfile
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext, suppress
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path
from threading import Lock
from typing import TYPE_CHECKING, Any

from PIL import Image

from mirvo.core.errors import BadInput, NotFound

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
# Larger than any phone makes, small enough to be held in memory.
MAX_BYTES = 80 * 1024 * 1024
# A small file may claim a huge picture; it is turned away before it is decoded.
MAX_PIXELS = 120_000_000
MIN_SIDE = 200
# No photo is so long and narrow, none packs so well, none builds up in so many passes; what claims
# it would cost gigabytes or minutes to open.
MAX_ASPECT, MAX_PIXELS_A_BYTE, MAX_PASSES = 12, 2000, 100
PASS = b"\xff\xda"
# Larger pictures are opened one at a time, whoever asks for them.
LARGE_PIXELS = 16_000_000
CHUNK = 1 << 20
SIZES = {"desk": 2016, "page": 900, "thumb": 320}  # longest side, px; from large to small
EXIF_DETAIL, EXIF_TAKEN, EXIF_FOCAL_35MM, EXIF_ORIENTATION = 0x8769, 0x9003, 0xA405, 0x0112
DIGEST = re.compile(r"[0-9a-f]{64}")
EXIF_WIDTH, EXIF_HEIGHT = 0xA002, 0xA003
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


@dataclass(frozen=True)
class PhotoFacts:
    """What the file itself says, size after its EXIF orientation is applied."""

    digest: str
    media_type: str
    width: int
    height: int
    focal_length_35mm: float | None
    taken_on: date | None


class PhotoStore:
    """Photos below one folder: `originals/` by hash, `derived/` can be deleted any time."""

    def __init__(self, folder: Path) -> None:
        self.originals = folder / "photos" / "originals"
        self.derived = folder / "photos" / "derived"

    def keep(self, content: bytes, file_name: str) -> PhotoFacts:
        """Check a photo and store it as it came, with its smaller pictures.

        Raises
        ------
        BadInput : names the file and says why it cannot be used.
        """
        facts = _facts_of(content, file_name)
        path = self.place_of(facts.digest)
        if not path.exists():
            # Decoding shows a file that breaks off; it is done once, for both.
            with _damage_said(file_name):
                pictures = smaller(content)
            _write_whole(path, content)
            # They can be made again; the original is what counts.
            with suppress(OSError):
                self._put_smaller(facts.digest, pictures)
        return facts

    def read(self, digest: str) -> bytes:
        """The original. Raises NotFound."""
        return self.original(digest).read_bytes()

    def derivative(self, digest: str, size: str) -> Path:
        """Path of a JPEG no longer than the size's longest side, upright; made when missing."""
        if size not in SIZES:
            raise NotFound("photo", f"there is no size '{size}'")
        self.place_of(digest)  # refuses what is no digest
        path = self._derived(digest, size)
        if not path.exists():
            self._put_smaller(digest, smaller(self.read(digest)))
        return path

    def _put_smaller(self, digest: str, pictures: dict[str, bytes]) -> None:
        for name, picture in pictures.items():
            _write_whole(self._derived(digest, name), picture)

    def original(self, digest: str) -> Path:
        """Path of the original. Raises NotFound."""
        path = self.place_of(digest)
        if not path.exists():
            raise NotFound("photo", "the photo's file is missing from the data folder")
        return path

    def forget(self, digest: str) -> None:
        """Remove a photo's file and all that was made of it."""
        if not DIGEST.fullmatch(digest):
            return
        self.place_of(digest).unlink(missing_ok=True)
        # Everything made from it goes too; nothing of a photo taken out may stay.
        for made in self.derived.glob(f"*/{digest[:2]}/{digest}.*"):
            made.unlink(missing_ok=True)

    def finding(self, digest: str, name: str, work_out: Callable[[bytes], Any]) -> Any:
        """What was worked out of a photo once, JSON; like a smaller picture it can be remade."""
        self.place_of(digest)  # refuses what is no digest
        path = self.derived / name / digest[:2] / f"{digest}.json"
        if not path.exists():
            found = work_out(self.read(digest))
            _write_whole(path, json.dumps(found).encode())
            return found
        return json.loads(path.read_text("utf-8"))

    def made(self, digest: str, kind: str, version: str, make: Callable[[bytes], bytes]) -> Path:
        """A JPEG made of a photo, made anew where its version changes; older ones go."""
        self.place_of(digest)  # refuses what is no digest
        folder = self.derived / kind / digest[:2]
        path = folder / f"{digest}.{version}.jpg"
        if not path.exists():
            content = make(self.read(digest))
            for older in folder.glob(f"{digest}.*"):
                older.unlink(missing_ok=True)
            _write_whole(path, content)
        return path

    def _derived(self, digest: str, size: str) -> Path:
        return self.derived / size / digest[:2] / f"{digest}.jpg"

    def place_of(self, digest: str) -> Path:
        """Where the original of a digest lies or would lie. Raises NotFound: it is no digest."""
        # Records from elsewhere may say anything; no other file may be reached by it.
        if not DIGEST.fullmatch(digest):
            raise NotFound("photo", "the record of the photo does not name a photo's file")
        return self.originals / digest[:2] / digest


def examine(content: bytes, file_name: str) -> PhotoFacts:
    """Facts of a photo file without decoding it whole. Raises BadInput naming the file."""
    facts = _facts_of(content, file_name)
    _decode_check(content, file_name)
    return facts


def _facts_of(content: bytes, file_name: str) -> PhotoFacts:
    if not content:
        raise BadInput(file_name, "the file is empty (0 bytes)")
    if len(content) > MAX_BYTES:
        size = len(content) / 1024**2
        raise BadInput(file_name, f"the file is {size:.0f} MB; at most 80 MB can be taken in")
    image = _open(content, file_name)
    _refuse_bombs(image, content, file_name)
    width, height = image.size
    orientation, detail = _exif_of(image)
    # The size is that of the picture as people see it; this format is turned by its reader
    # already.
    if orientation in QUARTER_TURNS and image.format != "HEIF":
        width, height = height, width
    return PhotoFacts(
        digest=hashlib.sha256(content).hexdigest(),
        media_type=TYPES[str(image.format)][0],
        width=width,
        height=height,
        focal_length_35mm=_focal(detail.get(EXIF_FOCAL_35MM)),
        taken_on=_taken(detail.get(EXIF_TAKEN)),
    )


def _refuse_bombs(image: Image.Image, content: bytes, file_name: str) -> None:
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
    _, detail = _exif_of(_open(content, "photo"))
    width, height = detail.get(EXIF_WIDTH), detail.get(EXIF_HEIGHT)
    if isinstance(width, int) and isinstance(height, int) and min(width, height) > 0:
        return width, height
    return None


def _open(content: bytes, file_name: str) -> Image.Image:
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


def _decode_check(content: bytes, file_name: str) -> None:
    """A small decode shows a file that breaks off before it is accepted."""
    image = _open(content, file_name)
    # Decoded small: enough to find where a file breaks off, at a fraction of the time.
    image.draft("RGB", (256, 256))
    with _damage_said(file_name), _one_large_at_a_time(image):
        image.load()


@contextmanager
def _damage_said(file_name: str) -> Iterator[None]:
    """Raises BadInput for whatever a decoder stumbles on within."""
    try:
        yield
    except Exception:  # what a decoder makes of damage differs from decoder to decoder
        raise BadInput(file_name, "the picture breaks off or is damaged") from None


def _one_large_at_a_time(image: Image.Image) -> AbstractContextManager[object]:
    """Hold this while a picture is decoded; many large ones at once would fill the memory."""
    return _LARGE if image.width * image.height > LARGE_PIXELS else nullcontext()


def _exif_of(image: Image.Image) -> tuple[int, dict[int, Any]]:
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


def _focal(value: object) -> float | None:
    try:
        focal = float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError):
        return None
    # Cameras write nought or nonsense where they do not know.
    return focal if 8 <= focal <= 1200 else None


def _taken(value: object) -> date | None:
    try:
        return datetime.strptime(str(value)[:10], "%Y:%m:%d").date()
    except ValueError:
        return None


def smaller(content: bytes) -> dict[str, bytes]:
    """JPEGs of the upright picture in all `SIZES`, each made from the one before.

    The original is decoded once, by the decoder itself to half or less where that is still
    at least as large as the largest size asked for.
    """
    image = _open(content, "photo")
    wanted = _easily_decoded(max(image.size), max(SIZES.values()))
    share = wanted / max(image.size)
    image.draft("RGB", (int(image.width * share), int(image.height * share)))
    orientation, _ = _exif_of(image)
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

    image = _open(content, "photo")
    orientation, _ = _exif_of(image)
    with _one_large_at_a_time(image):
        return np.array(_upright(_converted(image, mode), orientation), dtype=np.uint8)


def digest_of(path: Path) -> str:
    """The sha256 of a file's content."""
    digest = hashlib.sha256()
    with path.open("rb") as source:
        while piece := source.read(CHUNK):
            digest.update(piece)
    return digest.hexdigest()


def _write_whole(path: Path, content: bytes) -> None:
    """Write so that the file is there whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    # Written beside and moved: a photo is there whole or not at all.
    with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as handle:
        handle.write(content)
        handle.flush()
        os.fsync(handle.fileno())
    Path(handle.name).replace(path)
