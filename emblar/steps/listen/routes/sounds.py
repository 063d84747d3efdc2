"""Sound bytes, whole or in ranges."""

import re
from typing import Annotated

from fastapi import APIRouter, Header, Response

from emblar.frame.fields import Id
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.steps.listen.actions.recordings import sound_bytes, sound_info

router = APIRouter(route_class=ReadAtOnce)
RANGE = re.compile(r"bytes=([0-9]{0,15})-([0-9]{0,15})$")


def asked_range(header: str | None, size: int) -> tuple[int, int] | None:
    """Return first and last byte asked for, None for the whole; ``ValueError`` if impossible."""
    if header is None:
        return None
    match = RANGE.match(header.strip())
    if match is None or match.group(0) == "bytes=-":
        return None
    first, last = match.group(1), match.group(2)
    if first == "":
        start, stop = max(size - int(last), 0), size - 1
    else:
        start, stop = int(first), min(int(last) if last else size - 1, size - 1)
    if start > stop:
        raise ValueError(header)
    return start, stop


@router.get("/sessions/{session_id}/audio/{audio_id}")
def audio(
    studio: Here,
    session_id: Id,
    audio_id: Id,
    range_: Annotated[str | None, Header(alias="Range")] = None,
) -> Response:
    """Return a sound; with a Range header only that part, as 206."""
    info = sound_info(studio, session_id, audio_id)
    headers = {
        "Accept-Ranges": "bytes",
        "ETag": f'"{info.sha256}"',
        "Cache-Control": "private, max-age=31536000, immutable",
    }
    try:
        wanted = asked_range(range_, info.size_bytes)
    except ValueError:
        return Response(status_code=416, headers={"Content-Range": f"bytes */{info.size_bytes}"})
    if wanted is None:
        data = sound_bytes(studio, session_id, audio_id, 0, info.size_bytes)
        return Response(data, media_type=info.media_type, headers=headers)
    first, last = wanted
    headers["Content-Range"] = f"bytes {first}-{last}/{info.size_bytes}"
    data = sound_bytes(studio, session_id, audio_id, first, last - first + 1)
    return Response(data, status_code=206, media_type=info.media_type, headers=headers)
