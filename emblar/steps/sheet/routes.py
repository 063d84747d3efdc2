"""Sheet: one page for the kit, and the same as PDF, JSON and CSV."""

import re
from typing import Literal

from fastapi import APIRouter, Request, Response

from emblar.formats.sheet import SheetFile, sheet_csv
from emblar.frame.fields import Id
from emblar.frame.here import Here
from emblar.frame.pdf import pdf
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.studio import Studio
from emblar.steps.sheet.actions import sheet
from emblar.steps.sheet.page import sheet_page
from emblar.steps.workspace.routes import load

router = APIRouter(prefix="/sessions/{session_id}", route_class=ReadAtOnce)


def _download(studio: Studio, session_id: Id, suffix: str) -> tuple[SheetFile, dict[str, str]]:
    file = sheet(studio, session_id)
    name = re.sub(r"[^a-z0-9]+", "-", file.session.lower()).strip("-") or "sheet"
    headers = {"Content-Disposition": f'attachment; filename="{name}-sheet.{suffix}"'}
    return file, headers


@router.get("/sheet")
def show(studio: Here, request: Request, session_id: Id, sel: str = "") -> Response:
    """Show the sheet."""
    work, around = load(studio, session_id, "sheet", sel)
    planned = work.plan is not None and bool(work.plan.drums)
    page = sheet_page(sheet(studio, session_id)) if planned else None
    return render(request, "sheet/page.html", {"page": page, "frame": around})


@router.get("/sheet.pdf")
def as_pdf(studio: Here, session_id: Id, paper: Literal["A4", "letter"] = "A4") -> Response:
    """Return the sheet as one page of paper."""
    file, headers = _download(studio, session_id, "pdf")
    page = pdf("sheet/pdf.html", {"page": sheet_page(file)}, paper)
    return Response(page, media_type="application/pdf", headers=headers)


@router.get("/sheet.json")
def as_json(studio: Here, session_id: Id) -> Response:
    """Return the sheet as ``emblar.sheet/1``."""
    file, headers = _download(studio, session_id, "json")
    text = file.model_dump_json(by_alias=True, indent=2)
    return Response(text, media_type="application/json", headers=headers)


@router.get("/sheet.csv")
def as_csv(studio: Here, session_id: Id) -> Response:
    """Return the sheet as CSV."""
    file, headers = _download(studio, session_id, "csv")
    return Response(sheet_csv(file), media_type="text/csv; charset=utf-8", headers=headers)
