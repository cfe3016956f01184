"""What a photo's file says beside the picture, and the same file without it.

The picture itself is never decoded and packed again: only what stands beside it is rewritten. What
measuring goes by stays: the day, the way up, the focal length.
"""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Iterator

from PIL import Image, UnidentifiedImageError

from mirvo.core.errors import BadInput

PLACE, SERIAL, OWNER, NOTES = "place", "serial number", "owner's name", "notes"
DETAIL, GPS = 0x8769, 0x8825
# What stays: maker, model, way up; times, exposure, focal lengths, size in px.
KEPT = (0x010F, 0x0110, 0x0112)
KEPT_DETAIL = (*(0x829A, 0x829D, 0x8827, 0x9003, 0x9004, 0x920A, 0xA002, 0xA003, 0xA404, 0xA405),)
SERIALS = (0xA431, 0xA435, 0xC62F, 0xA420)
OWNERS = (0xA430, 0x013B, 0x8298, 0x9C9D, 0x013C)
# Descriptions and comments, and the maker's own notes, which may hold any of the others.
REMARKS = (0x010E, 0x9286, 0x9C9B, 0x9C9C, 0x9C9E, 0x9C9F, 0x927C, 0x02BC)
EXIF = b"Exif\x00\x00"
START, END, SCAN = 0xD8, 0xD9, 0xDA
# Segments of a JPEG that hold no picture but are needed to show it.
JFIF, COLOUR, ADOBE = 0xE0, 0xE2, 0xEE
ICC = b"ICC_PROFILE\x00"
APPS, COMMENT = range(0xE0, 0xF0), 0xFE
PNG = b"\x89PNG\r\n\x1a\n"
PNG_KEPT = frozenset(b"IHDR PLTE tRNS IDAT IEND gAMA cHRM sRGB iCCP sBIT pHYs".split())
WEBP_KEPT = frozenset((b"VP8X", b"ICCP", b"ALPH", b"VP8 ", b"VP8L", b"ANIM", b"ANMF"))
WEBP_EXIF, WEBP_XMP = 0x08, 0x04
JPEG_QUALITY = 95


def private_details(content: bytes) -> tuple[str, ...]:
    """What a photo's file says of its place and of people: PLACE, SERIAL, OWNER, NOTES.

    Raises
    ------
    BadInput : it is no photo.
    """
    image = _opened(content)
    exif = image.getexif()
    tags = {**dict(exif), **dict(exif.get_ifd(DETAIL))}
    found = []
    if exif.get_ifd(GPS):
        found.append(PLACE)
    if any(tags.get(tag) for tag in SERIALS):
        found.append(SERIAL)
    if any(tags.get(tag) for tag in OWNERS):
        found.append(OWNER)
    beside = (image.info.get(name) for name in ("xmp", "XML:com.adobe.xmp", "comment", "photoshop"))
    texts = getattr(image, "text", None)
    if any(tags.get(tag) for tag in REMARKS) or any(_says(one) for one in beside) or texts:
        found.append(NOTES)
    return tuple(found)


def _says(value: object) -> bool:
    return bool(value.strip(b" \x00") if isinstance(value, bytes) else value)


def without_private(content: bytes) -> bytes:
    """The same picture without what says where it was taken, with what, and by whom.

    Raises
    ------
    BadInput : it is no photo.
    """
    image = _opened(content)
    clean = _clean_exif(image)
    made = {"JPEG": _jpeg, "MPO": _jpeg, "PNG": _png, "WEBP": _webp, "HEIF": _heif}.get(
        str(image.format), _packed_again
    )(content, clean)
    # Whatever a strange file does: nothing private goes out of it.
    return made if made and not private_details(made) else _packed_again(content, clean)


def _opened(content: bytes) -> Image.Image:
    import pillow_heif  # slow to import

    pillow_heif.register_heif_opener()
    try:
        return Image.open(io.BytesIO(content))
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as error:
        raise BadInput("photo", f"this is no photo: {error}") from None


def _clean_exif(image: Image.Image) -> bytes:
    """What stays of a photo's EXIF, as it stands in a JPEG."""
    exif = image.getexif()
    detail = exif.get_ifd(DETAIL)
    clean = Image.Exif()
    for tag in KEPT:
        if tag in exif:
            clean[tag] = exif[tag]
    kept = {tag: detail[tag] for tag in KEPT_DETAIL if tag in detail}
    if kept:
        clean[DETAIL] = kept
    return clean.tobytes()


def _jpeg(content: bytes, exif: bytes) -> bytes:
    segment = b"\xff\xe1" + struct.pack(">H", len(exif) + 2) + exif
    pieces = [content[:2]]
    placed = False
    for marker, piece in _jpeg_parts(content):
        is_app = marker in APPS
        kept = marker in (JFIF, ADOBE) or (marker == COLOUR and piece[4:].startswith(ICC))
        if marker == COMMENT or (is_app and not kept):
            continue
        if not placed and marker != JFIF:
            pieces.append(segment)
            placed = True
        pieces.append(piece)
    return b"".join(pieces)


def _jpeg_parts(content: bytes) -> Iterator[tuple[int, bytes]]:
    """Segments of the first picture of a file, each scan with its data; what follows is left."""
    at = 2
    while at + 4 <= len(content):
        if content[at] != 0xFF:
            at += 1
            continue
        marker = content[at + 1]
        if marker == 0xFF:
            at += 1
            continue
        if marker == END:
            break
        if marker == 0x00 or 0xD0 <= marker <= START or marker == 0x01:
            at += 2
            continue
        end = at + 2 + struct.unpack(">H", content[at + 2 : at + 4])[0]
        if marker == SCAN:
            end = _scan_end(content, end)
        yield marker, content[at:end]
        at = end
    yield END, b"\xff\xd9"


def _scan_end(content: bytes, at: int) -> int:
    """Where the data of a scan end: at the next marker that is none of its own."""
    while True:
        at = content.find(b"\xff", at)
        if at < 0 or at + 1 >= len(content):
            return len(content)
        following = content[at + 1]
        if following != 0x00 and not 0xD0 <= following <= 0xD7 and following != 0xFF:
            return at
        at += 1 if following == 0xFF else 2


def _png(content: bytes, exif: bytes) -> bytes:
    pieces, at = [PNG], len(PNG)
    while at + 12 <= len(content):
        (size,) = struct.unpack(">I", content[at : at + 4])
        name, chunk = content[at + 4 : at + 8], content[at : at + 12 + size]
        if name in PNG_KEPT:
            pieces.append(chunk)
        if name == b"IHDR":
            pieces.append(_png_chunk(b"eXIf", exif.removeprefix(EXIF)))
        if name == b"IEND":
            break
        at += 12 + size
    return b"".join(pieces)


def _png_chunk(name: bytes, body: bytes) -> bytes:
    check = struct.pack(">I", zlib.crc32(name + body))
    return struct.pack(">I", len(body)) + name + body + check


def _webp(content: bytes, exif: bytes) -> bytes:
    pieces, at, extended = list[bytes](), 12, False
    while at + 8 <= len(content):
        name = content[at : at + 4]
        (size,) = struct.unpack("<I", content[at + 4 : at + 8])
        body = content[at + 8 : at + 8 + size]
        if name == b"VP8X" and body:
            extended = True
            body = bytes([(body[0] & ~WEBP_XMP) | WEBP_EXIF]) + body[1:]
        if name in WEBP_KEPT:
            pieces.append(_webp_chunk(name, body))
        at += 8 + size + size % 2
    if extended:
        pieces.append(_webp_chunk(b"EXIF", exif.removeprefix(EXIF)))
    whole = b"WEBP" + b"".join(pieces)
    return b"RIFF" + struct.pack("<I", len(whole)) + whole


def _webp_chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\x00" * (len(body) % 2)


def _heif(content: bytes, exif: bytes) -> bytes:
    """Written over in place: what points into the file goes on to point at the same."""
    image, made = _opened(content), content
    for name, fresh in (("exif", exif.removeprefix(EXIF)), ("xmp", b"")):
        known = image.info.get(name)
        if not isinstance(known, bytes) or not known:
            continue
        body = known.removeprefix(EXIF)
        at = _place_in(made, body)
        if at < 0 or len(fresh) > len(body):
            return b""
        filled = fresh.ljust(len(body), b"\x00" if name == "exif" else b" ")
        made = made[:at] + filled + made[at + len(body) :]
    return made


def _place_in(content: bytes, body: bytes) -> int:
    """Where a part of a file stands in it, -1 for nowhere.

    The reader of this format says of EXIF that the picture is upright, as it turns it itself; so
    its beginning is looked for where the whole is not there.
    """
    at = content.find(body)
    return at if at >= 0 else content.find(body[:8])


def _packed_again(content: bytes, exif: bytes) -> bytes:
    """As a JPEG of its own: the last resort, for a file that cannot be rewritten otherwise."""
    from PIL import ImageOps

    upright = ImageOps.exif_transpose(_opened(content)).convert("RGB")
    made = io.BytesIO()
    # Upright already, so of the rest only what needs no way up.
    clean = Image.Exif()
    clean.load(exif)
    clean.pop(0x0112, None)
    upright.save(made, "JPEG", quality=JPEG_QUALITY, exif=clean.tobytes())
    return made.getvalue()
