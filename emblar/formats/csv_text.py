"""Every CSV that Emblar writes: one place that keeps a spreadsheet from running a cell."""

import csv
import io
from collections.abc import Iterable, Sequence

RUN = ("=", "+", "-", "@", "\t", "\r")
"""First characters by which a spreadsheet takes a text for a formula."""


def csv_text(rows: Iterable[Sequence[object]]) -> str:
    """Return rows as CSV; a typed text that looks like a formula gets a mark before it."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    for row in rows:
        writer.writerow([_safe(cell) for cell in row])
    return out.getvalue()


def _safe(cell: object) -> object:
    if not isinstance(cell, str) or not cell.startswith(RUN):
        return cell
    try:
        float(cell)
    except ValueError:
        return f"'{cell}"
    return cell
