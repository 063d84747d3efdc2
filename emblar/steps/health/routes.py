"""The patterns page, and signs of life."""

from fastapi import APIRouter, Request, Response

from emblar.formats.doctor import HealthFile
from emblar.frame.templating import render
from emblar.steps.health.actions import health
from emblar.steps.health.metrics import CONTENT_TYPE, Metrics

router = APIRouter()


@router.get("/health")
async def up() -> dict[str, str]:
    """Answer that the web process is up, also while every thread is busy."""
    return {"state": "up"}


@router.get("/healthz")
def healthz() -> Response:
    """Answer how Emblar is: 200 with database and worker there, else 503."""
    current = health()
    file = HealthFile(
        well=current.well,
        database=current.database,
        workers=current.workers,
        waiting=current.waiting,
        running=current.running,
        failed=current.failed,
        says=current.says,
    )
    text = file.model_dump_json(by_alias=True)
    return Response(text, 200 if current.well else 503, media_type="application/json")


@router.get("/metrics")
def metrics(request: Request) -> Response:
    """Return the numbers that a Prometheus server reads."""
    result: Metrics = request.app.state.metrics
    return Response(result.text(), media_type=CONTENT_TYPE)


@router.get("/patterns")
def patterns(request: Request) -> Response:
    """Show every component once."""
    return render(request, "health/patterns.html", {})
