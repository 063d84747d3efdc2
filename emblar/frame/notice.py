"""What a page says once of what was just done, taken along in its address.

The text carries a mark that only this Emblar can make: a link from elsewhere cannot put words into
its mouth.
"""

import hmac
import secrets
from functools import lru_cache
from urllib.parse import urlencode

from emblar.platform.settings import settings

MARK_LETTERS = 24


@lru_cache(maxsize=1)
def _key() -> bytes:
    return settings().mark_key.encode() or secrets.token_bytes(16)


def _mark(text: str) -> str:
    return hmac.new(_key(), text.encode(), "sha256").hexdigest()[:MARK_LETTERS]


def notice_query(text: str) -> str:
    """Return what goes into an address for its page to say a text, from ``&`` on."""
    return "&" + urlencode({"done": text, "mark": _mark(text)}) if text else ""


def checked_notice(text: str, mark: str) -> str:
    """Return a text if it is our own, else nothing."""
    return text if text and hmac.compare_digest(_mark(text).encode(), mark.encode()) else ""
