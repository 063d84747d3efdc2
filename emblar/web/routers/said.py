"""What a page says once of what was just done, taken along in its address.

The text carries a mark that only this process can make: a link from elsewhere cannot put words into
Emblar's mouth.
"""

import hmac
import secrets
from urllib.parse import urlencode

KEY = secrets.token_bytes(16)
MARK_LETTERS = 24


def _mark(text: str) -> str:
    return hmac.new(KEY, text.encode(), "sha256").hexdigest()[:MARK_LETTERS]


def saying(text: str) -> str:
    """Return what goes into an address for its page to say a text, from ``&`` on."""
    return "&" + urlencode({"done": text, "mark": _mark(text)}) if text else ""


def said(text: str, mark: str) -> str:
    """Return a text if it is our own, else nothing."""
    return text if text and hmac.compare_digest(_mark(text).encode(), mark.encode()) else ""
