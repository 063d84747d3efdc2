"""What is written to standard error: for people, or as lines of JSON for a machine."""

import logging
import sys

from pythonjsonlogger.json import JsonFormatter

from emblar.platform.settings import settings

REQUESTS = "emblar.requests"
"""One line a request; only as JSON, where somebody collects them."""
FIELDS = "{asctime}{levelname}{name}{message}"


def set_up_logs() -> None:
    """Have this process write its logs as the settings say."""
    handler = logging.StreamHandler(sys.stderr)
    if settings().log == "json":
        names = {"asctime": "at", "levelname": "level", "name": "from"}
        handler.setFormatter(JsonFormatter(FIELDS, style="{", rename_fields=names))
        logging.getLogger(REQUESTS).setLevel(logging.INFO)
    else:
        handler.setFormatter(logging.Formatter("%(name)s: %(message)s"))
        logging.getLogger(REQUESTS).setLevel(logging.CRITICAL)
    logging.basicConfig(level=logging.WARNING, handlers=[handler], force=True)
