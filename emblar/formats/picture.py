"""Pictures as they are kept: upright, small, and without what the camera wrote about where."""

import io
import json
import resource
import sys
import warnings

from PIL import Image, ImageOps, UnidentifiedImageError

from emblar.core.errors import InputError

FORMATS = ("JPEG", "PNG", "WEBP")
MEDIA_TYPE = "image/jpeg"
LARGEST_BYTES = 20 * 2**20
MOST_PIXELS = 60_000_000
LONGEST_SIDE = 1280
QUALITY = 82
TOO_LARGE = "That picture is too large. Up to 60 million pixels."
NOT_READ = "This picture cannot be read. Use a JPEG, PNG or WebP."


def kept_picture(data: bytes) -> bytes:
    """Return a picture as JPEG, its longer side at most ``LONGEST_SIDE`` pixels.

    Parameters
    ----------
    data
        A JPEG, PNG or WebP.

    Raises
    ------
    InputError
        It is none of these, damaged, or too large.
    """
    if len(data) > LARGEST_BYTES:
        raise InputError(f"Up to {LARGEST_BYTES // 2**20} MB a picture.", field="picture")
    try:
        with warnings.catch_warnings():
            # A picture that unpacks to far more than its size is refused below, with words.
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data), formats=FORMATS) as result:
                if result.width * result.height > MOST_PIXELS:
                    raise InputError(TOO_LARGE, field="picture")
                result.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
                upright = ImageOps.exif_transpose(result).convert("RGB")
    except Image.DecompressionBombError as error:
        raise InputError(TOO_LARGE, field="picture") from error
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as error:
        raise InputError(NOT_READ, field="picture") from error
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    out = io.BytesIO()
    upright.save(out, "JPEG", quality=QUALITY, optimize=True)
    return out.getvalue()


def main() -> None:
    """Read a picture; write a line of JSON, then the picture as it is kept."""
    out = sys.stdout.buffer
    try:
        kept = kept_picture(sys.stdin.buffer.read())
    except InputError as error:
        out.write(json.dumps({"error": str(error)}).encode() + b"\n")
        return
    out.write(b"{}\n" + kept)


if __name__ == "__main__":
    # The most pixels three times over, as bytes of red, green and blue, and the libraries.
    limit = 2**30
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
    resource.setrlimit(resource.RLIMIT_CPU, (30, 30))
    main()
