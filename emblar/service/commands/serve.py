"""``emblar serve``: PostgreSQL, worker and web together."""

from typing import Annotated

import typer


def serve_command(
    demo: Annotated[bool, typer.Option(help="Put the demo session in first")] = False,
    year: Annotated[bool, typer.Option(help="Put a made-up year of log in first")] = False,
    web_only: Annotated[
        bool, typer.Option("--web-only", help="Start no worker here: it runs elsewhere")
    ] = False,
) -> None:
    """Serve Emblar until Ctrl-C."""
    from emblar.service.supervisor import serve

    serve(demo=demo, year=year, web_only=web_only)
