"""Sheet: one page for the kit, and the same as PDF, JSON and CSV."""

import re
from typing import Literal

from fastapi import APIRouter, Request, Response

from emblar.actions.scope import Scope
from emblar.actions.sheet import sheet
from emblar.formats.sheet import SheetFile, sheet_csv
from emblar.web.pages.sheet import sheet_page
from emblar.web.pdf import pdf
from emblar.web.routers.context import load
from emblar.web.routers.fields import Id
from emblar.web.routers.here import Here
from emblar.web.routers.reading import ReadAtOnce
from emblar.web.templating import render

router = APIRouter(prefix="/sessions/{session_id}", route_class=ReadAtOnce)


def _download(scope: Scope, session_id: Id, suffix: str) -> tuple[SheetFile, dict[str, str]]:
    file = sheet(scope, session_id)
    name = re.sub(r"[^a-z0-9]+", "-", file.session.lower()).strip("-") or "sheet"
    headers = {"Content-Disposition": f'attachment; filename="{name}-sheet.{suffix}"'}
    return file, headers


@router.get("/sheet")
def show(scope: Here, request: Request, session_id: Id, sel: str = "") -> Response:
    """Show the sheet."""
    work, around = load(scope, session_id, "sheet", sel)
    planned = work.plan is not None and bool(work.plan.drums)
    page = sheet_page(sheet(scope, session_id)) if planned else None
    return render(request, "sheet/page.html", {"page": page, "frame": around})


@router.get("/sheet.pdf")
def as_pdf(scope: Here, session_id: Id, paper: Literal["A4", "letter"] = "A4") -> Response:
    """Return the sheet as one page of paper."""
    file, headers = _download(scope, session_id, "pdf")
    page = pdf("sheet/pdf.html", {"page": sheet_page(file)}, paper)
    return Response(page, media_type="application/pdf", headers=headers)


@router.get("/sheet.json")
def as_json(scope: Here, session_id: Id) -> Response:
    """Return the sheet as ``emblar.sheet/1``."""
    file, headers = _download(scope, session_id, "json")
    text = file.model_dump_json(by_alias=True, indent=2)
    return Response(text, media_type="application/json", headers=headers)


@router.get("/sheet.csv")
def as_csv(scope: Here, session_id: Id) -> Response:
    """Return the sheet as CSV."""
    file, headers = _download(scope, session_id, "csv")
    return Response(sheet_csv(file), media_type="text/csv; charset=utf-8", headers=headers)
