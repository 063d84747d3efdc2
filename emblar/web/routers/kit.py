"""Kit: describe drums, say which voice each is to play."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from pydantic import BaseModel

from emblar.actions.kit import (
    add_drum,
    assign_voice,
    bring_back_drum,
    change_drum,
    suggest_voices,
    take_out_drum,
)
from emblar.core.acoustics.drum import Kind
from emblar.core.catalogue import USUAL_EDGE
from emblar.core.planning.kit import OwnedDrum
from emblar.web.pages.kit import KINDS, kit_page
from emblar.web.routers.context import go, load
from emblar.web.templating import render

router = APIRouter(prefix="/sessions/{session_id}/kit")


class DrumFields(BaseModel):
    """A drum as the form sends it; ranges are the core's matter."""

    name: str
    kind: Kind
    diameter_in: float
    depth_in: float
    rods: int
    hoop: str
    shell: str
    batter: str
    reso: str = ""
    port_in: str = ""
    edge: str = USUAL_EDGE
    found: list[str] = []

    def owned(self) -> OwnedDrum:
        """Return the drum; an empty port or front head is none."""
        return OwnedDrum(
            self.name.strip(),
            self.kind,
            self.diameter_in,
            self.depth_in,
            self.rods,
            self.hoop,
            self.shell,
            self.batter,
            self.reso or None,
            float(self.port_in) if self.port_in.strip() not in ("", "0") else None,
            self.edge,
            tuple(self.found),
        )


def _kit(session_id: int, selection: str = "") -> str:
    return f"/sessions/{session_id}/kit" + (f"?sel={selection}" if selection else "")


@router.get("")
def show(
    request: Request, session_id: int, sel: str = "", add: str = "", undo: int | None = None
) -> Response:
    """Show the kit."""
    _, around = load(session_id, "kit", sel)
    adding = add if add in dict(KINDS) else ""
    context = {"page": kit_page(around, adding, undo), "frame": around}
    return render(request, "kit/page.html", context)


@router.post("/drums")
def add(session_id: int, fields: Annotated[DrumFields, Form()]) -> Response:
    """Add a drum."""
    drum = add_drum(session_id, fields.owned())
    return go(_kit(session_id, f"d{drum.id}"))


@router.post("/drums/{drum_id}")
def change(session_id: int, drum_id: int, fields: Annotated[DrumFields, Form()]) -> Response:
    """Change a drum."""
    change_drum(drum_id, fields.owned())
    return go(_kit(session_id, f"d{drum_id}"))


@router.post("/drums/{drum_id}/take-out")
def take_out(session_id: int, drum_id: int) -> Response:
    """Take a drum out of the kit, offering to bring it back."""
    take_out_drum(drum_id)
    return go(f"/sessions/{session_id}/kit?undo={drum_id}")


@router.post("/drums/{drum_id}/bring-back")
def bring_back(session_id: int, drum_id: int) -> Response:
    """Bring a drum back."""
    bring_back_drum(drum_id)
    return go(_kit(session_id, f"d{drum_id}"))


@router.post("/voices")
def voices(
    session_id: int,
    voice: Annotated[str, Form()],
    drum: Annotated[str, Form()] = "",
    sel: Annotated[str, Form()] = "",
) -> Response:
    """Let a drum play a voice, or no drum."""
    assign_voice(session_id, voice, int(drum) if drum.isdigit() else None)
    return go(_kit(session_id, sel))


@router.post("/suggest")
def suggest(session_id: int, sel: Annotated[str, Form()] = "") -> Response:
    """Give every voice to a drum by kind and size."""
    suggest_voices(session_id)
    return go(_kit(session_id, sel))
