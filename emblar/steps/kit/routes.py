"""Kit: describe drums, say which voice each is to play."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from pydantic import BaseModel, BeforeValidator, Field

from emblar.core.acoustics.drum import Kind
from emblar.core.catalogue import USUAL_EDGE
from emblar.core.errors import InputError
from emblar.core.planning.kit import OwnedDrum
from emblar.frame.fields import (
    AskedId,
    Id,
    Number,
    Text,
    as_number,
    ids_as_text,
    ids_from_text,
    parts_as_text,
    parts_from_text,
)
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.once import only_once
from emblar.platform.studio import Studio
from emblar.steps.kit.actions.drums import (
    add_drum,
    assign_voice,
    bring_back_drum,
    change_drum,
    give_back,
    kit,
    match_by_size,
    parts_of,
    take_out_drum,
)
from emblar.steps.kit.actions.saved import (
    bring_kit,
    copy_drum,
    kit_choices,
    move_drum,
    save_kit,
    studio_drums,
    undo_kit,
    use_drum,
)
from emblar.steps.kit.page import KINDS, BroughtKit, kit_page
from emblar.steps.plan.actions.planning import plan_kit
from emblar.steps.workspace.routes import given_line, go, load

router = APIRouter(prefix="/sessions/{session_id}/kit", route_class=ReadAtOnce)


def _none_if_empty(text: object) -> object:
    return text or None


class DrumFields(BaseModel):
    """A drum as the form sends it; ranges are the core's matter."""

    name: Text
    kind: Kind
    diameter_in: Number
    depth_in: Number
    rods: Number
    hoop: Text
    shell: Text
    batter: Text
    reso: Text = ""
    port_in: Text = ""
    shell_hole_in: Text = ""
    edge: Text = USUAL_EDGE
    findings: list[Text] = Field(default=[], alias="found")
    lent_by: Text = ""
    stand: Text = ""
    second_for: Text = ""
    once: Text = ""

    def owned(self) -> OwnedDrum:
        """Return the drum; an empty port, hole in the shell or front head is none."""
        if self.rods != int(self.rods):
            raise InputError(f"Rods: {self.rods:g} is no whole number.", field="rods")
        return OwnedDrum(
            self.name.strip(),
            self.kind,
            self.diameter_in,
            self.depth_in,
            int(self.rods),
            self.hoop,
            self.shell,
            self.batter,
            self.reso or None,
            _hole("Port", "port_in", self.port_in),
            self.edge,
            tuple(self.findings),
            _hole("Shell hole", "shell_hole_in", self.shell_hole_in),
        )


def _hole(label: str, field: str, given: str) -> float | None:
    """Return the diameter of a hole as a field has it; none where it is empty or 0."""
    try:
        return (as_number(given) if given.strip() else 0.0) or None
    except ValueError as error:
        raise InputError(
            f"{label}: “{given[:40]}” is not a number. Nothing was changed.", field=field
        ) from error


def _kit(session_id: Id, selection: str = "") -> str:
    return f"/sessions/{session_id}/kit" + (f"?sel={selection}" if selection else "")


@router.get("")
def show(
    studio: Here,
    request: Request,
    session_id: Id,
    sel: str = "",
    add: str = "",
    undo: AskedId = None,
    was: Text = "",
    added: Text = "",
    removed: Text = "",
) -> Response:
    """Show the kit."""
    _, around = load(studio, session_id, "kit", sel)
    adding = add if add in dict(KINDS) else ""
    given = given_line(studio, session_id, was)
    choices = kit_choices(studio, without=session_id)
    imported = (
        BroughtKit(ids_from_text(added), ids_from_text(removed)) if added or removed else None
    )
    page = kit_page(around, adding, undo, choices, studio_drums(studio, session_id), imported)
    context = {"page": page, "frame": around, "given": given}
    return render(request, "kit/page.html", context)


@router.post("/drums")
def add(studio: Here, session_id: Id, fields: Annotated[DrumFields, Form()]) -> Response:
    """Add a drum."""
    owned = fields.owned()

    def make(studio: Studio) -> str:
        drum = add_drum(studio, session_id, owned, lent_by=fields.lent_by)
        return _kit(session_id, f"d{drum.id}")

    return go(only_once(studio, fields.once, owned, make))


@router.post("/drums/{drum_id}")
def change(
    studio: Here, session_id: Id, drum_id: Id, fields: Annotated[DrumFields, Form()]
) -> Response:
    """Change a drum."""
    change_drum(
        studio,
        session_id,
        drum_id,
        fields.owned(),
        lent_by=fields.lent_by,
        stand=fields.stand,
        second_for=fields.second_for,
    )
    return go(_kit(session_id, f"d{drum_id}"))


@router.post("/bring")
def bring(
    studio: Here,
    session_id: Id,
    kit: Annotated[Text, Form()] = "",
    instead: Annotated[bool, Form()] = False,
) -> Response:
    """Add a kit to this session, or put it in place of the one that is there."""
    change = bring_kit(studio, session_id, kit, replace_kit=instead)
    added = ids_as_text([drum.id for drum in change.added]) or "0"
    return go(f"{_kit(session_id)}?added={added}&removed={ids_as_text(change.removed)}")


@router.post("/undo-bring")
def undo_bring(
    studio: Here,
    session_id: Id,
    added: Annotated[Text, Form()] = "",
    removed: Annotated[Text, Form()] = "",
) -> Response:
    """Undo what bringing a kit changed."""
    undo_kit(studio, session_id, ids_from_text(added), ids_from_text(removed))
    return go(_kit(session_id))


@router.post("/save")
def save(studio: Here, session_id: Id, kit_name: Annotated[Text, Form()] = "") -> Response:
    """Keep this kit by name."""
    save_kit(studio, session_id, kit_name)
    return go(_kit(session_id))


@router.post("/use")
def use(studio: Here, session_id: Id, drum: Annotated[int, Form()]) -> Response:
    """Put one of the studio's drums into this kit."""
    return go(_kit(session_id, f"d{use_drum(studio, session_id, drum).id}"))


@router.post("/drums/{drum_id}/copy")
def copy(studio: Here, session_id: Id, drum_id: Id) -> Response:
    """Add a drum like this one."""
    return go(_kit(session_id, f"d{copy_drum(studio, session_id, drum_id).id}"))


@router.post("/drums/{drum_id}/move")
def move(studio: Here, session_id: Id, drum_id: Id, by: Annotated[int, Form()]) -> Response:
    """Move a drum earlier or later in the order."""
    move_drum(studio, session_id, drum_id, by)
    return go(_kit(session_id, f"d{drum_id}"))


@router.post("/drums/{drum_id}/take-out")
def take_out(studio: Here, session_id: Id, drum_id: Id) -> Response:
    """Take a drum out of the kit, offering to bring it back."""
    take_out_drum(studio, session_id, drum_id)
    return go(f"/sessions/{session_id}/kit?undo={drum_id}")


@router.post("/drums/{drum_id}/bring-back")
def bring_back(studio: Here, session_id: Id, drum_id: Id) -> Response:
    """Bring a drum back."""
    bring_back_drum(studio, session_id, drum_id)
    return go(_kit(session_id, f"d{drum_id}"))


@router.post("/voices")
def voices(
    studio: Here,
    session_id: Id,
    voice: Annotated[str, Form()],
    drum: Annotated[int | None, BeforeValidator(_none_if_empty), Form()] = None,
    sel: Annotated[str, Form()] = "",
) -> Response:
    """Let a drum play a voice, or no drum."""
    assign_voice(studio, session_id, voice, drum)
    return go(_kit(session_id, sel))


@router.post("/suggest")
def suggest(studio: Here, session_id: Id, sel: Annotated[str, Form()] = "") -> Response:
    """Give every voice to a drum by kind and size, and say what that changed."""
    before = parts_as_text(parts_of(kit(studio, session_id)))
    match_by_size(studio, session_id)
    return go(f"/sessions/{session_id}/kit?sel={sel}&was={before}")


@router.post("/parts-back")
def parts_back(
    studio: Here,
    session_id: Id,
    was: Annotated[Text, Form()],
    sel: Annotated[str, Form()] = "",
    plan: Annotated[bool, Form()] = False,
) -> Response:
    """Let the drums play what they played before."""
    give_back(studio, session_id, parts_from_text(was))
    if plan:
        plan_kit(studio, session_id)
        return go(f"/sessions/{session_id}/plan?sel={sel}")
    return go(_kit(session_id, sel))
