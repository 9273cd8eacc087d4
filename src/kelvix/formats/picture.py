"""What a picture is: its size, and when it was taken where it says so (Exif). Read by Pillow, without unpacking it."""

from __future__ import annotations

import warnings
from dataclasses import dataclass
from datetime import datetime
from typing import IO

from PIL import ExifTags, Image, UnidentifiedImageError


@dataclass(frozen=True)
class Picture:
    """In pixels; `taken` has no zone, as cameras keep it."""

    width: int
    height: int
    taken: datetime | None = None


def read(file: IO[bytes]) -> Picture | None:
    """None for what is no picture, or one that is larger than Pillow takes for safe."""
    with warnings.catch_warnings():
        warnings.simplefilter("error", Image.DecompressionBombWarning)
        try:
            with Image.open(file) as picture:
                exif = picture.getexif()
                taken = exif.get_ifd(ExifTags.IFD.Exif).get(ExifTags.Base.DateTimeOriginal) or exif.get(ExifTags.Base.DateTime)
                return Picture(*picture.size, _date(taken))
        except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError, Warning):
            return None


def _date(raw: object) -> datetime | None:
    try:
        return datetime.strptime(str(raw), "%Y:%m:%d %H:%M:%S")
    except ValueError:
        return None
