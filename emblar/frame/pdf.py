"""A page as PDF: the same HTML and styles as on screen, set by WeasyPrint; nothing is fetched."""

from typing import Any

from PIL import ImageFile

from emblar.frame.templating import STATIC, templates


def pdf(template: str, context: dict[str, Any], paper: str = "A4") -> bytes:
    """Render a template whose addresses are relative to the static folder; only files are read.

    ``paper`` is a page size as style sheets name it: ``A4`` or ``letter``.
    """
    # Loading it takes a second; only those who ask for paper wait for it.
    from weasyprint import HTML  # noqa: PLC0415
    from weasyprint.urls import URLFetcher  # noqa: PLC0415

    # It has all of this process take pictures that are cut off; what people bring is to be whole.
    ImageFile.LOAD_TRUNCATED_IMAGES = False
    html = templates.env.get_template(template).render(context)
    files_only = URLFetcher(allowed_protocols=["file"])
    base = STATIC.as_uri() + "/"
    # Last in the head: a sheet handed over apart would give way to the page's own.
    html = html.replace("</head>", f"<style>@page {{ size: {paper}; }}</style></head>", 1)
    return bytes(HTML(string=html, base_url=base, url_fetcher=files_only).write_pdf())
