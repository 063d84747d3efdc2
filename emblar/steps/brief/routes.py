"""Brief: what the session is about, and what its plan may do."""

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from pydantic import BaseModel, ValidationError

from emblar.core.errors import InputError
from emblar.formats.brief import AskFile
from emblar.formats.errors import at_field
from emblar.frame.fields import Id
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.brief.page import SCHOOL_FIELDS, brief_page
from emblar.steps.sessions.actions.editing import SessionBrief, brief_mark, brief_of, change_brief
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}", route_class=ReadAtOnce)


class BriefFields(BaseModel):
    """The form; a box that is not ticked is not sent."""

    name: str
    seen: str = ""
    artist: str = ""
    studio: str = ""
    wish: str = ""
    downbeat_at: str = ""
    style: str = ""
    key: str = ""
    tempo_bpm: str = ""
    kick_notes_per_beat: str = ""
    tom_notes_per_beat: str = ""
    brushes: bool = False
    force: str = "medium"
    buries_beater: bool = False
    rebound: str = "any"
    stage: str = "studio"
    kick_microphone: str = ""
    microphones: str = ""
    school_heads: str = ""
    school_snare_side: str = ""
    school_port: str = ""
    school_front: str = ""
    school_muffling: str = ""
    engineer_wants_hole: bool = False
    may_cut: bool = False
    keep_heads: bool = False
    leave_room: bool = False
    budget_heads: str = ""
    hands: str = ""
    minutes: str = ""
    shop_opens: str = ""
    shop_closes: str = ""
    shop_minutes: str = ""

    def ask(self) -> AskFile:
        """Return what is asked of the plan.

        Raises
        ------
        InputError
            A number is none or outside its range; nothing is kept.
        """
        values: dict[str, object] = {
            name: getattr(self, name)
            for name in (
                "style",
                "key",
                "brushes",
                "force",
                "buries_beater",
                "rebound",
                "stage",
                "kick_microphone",
                "microphones",
                "engineer_wants_hole",
                "keep_heads",
                "leave_room",
                "shop_closes",
            )
        }
        values["never_cut"] = not self.may_cut
        values["schools"] = {about: getattr(self, name) for name, about in SCHOOL_FIELDS.items()}
        for name in (
            "tempo_bpm",
            "kick_notes_per_beat",
            "tom_notes_per_beat",
            "budget_heads",
            "hands",
            "minutes",
            "shop_opens",
            "shop_minutes",
        ):
            text = getattr(self, name).strip().replace(",", ".")
            if text:
                values[name] = text
        values["only_owned"] = str(values.get("budget_heads", "")) == "0"
        try:
            return AskFile.model_validate(values)
        except ValidationError as error:
            field, text = at_field(error.errors())
            raise InputError(f"{text} Nothing was changed.", field=field) from error


@router.get("/brief")
def show(studio: Here, request: Request, session_id: Id, sel: str = "") -> Response:
    """Show the brief."""
    _, around = load(studio, session_id, "brief", sel)
    page = brief_page(around, brief_of(around.session))
    return render(
        request,
        "brief/page.html",
        {"page": page, "frame": around, "seen": brief_mark(around.session)},
    )


@router.post("/brief")
def change(studio: Here, session_id: Id, fields: Annotated[BriefFields, Form()]) -> Response:
    """Keep the brief and go on to Listen."""
    try:
        time = (
            datetime.fromisoformat(fields.downbeat_at).astimezone() if fields.downbeat_at else None
        )
    except ValueError as error:
        raise InputError(
            f"“{fields.downbeat_at}” is not a date and time: write it as 2026-05-04T10:00.",
            field="downbeat_at",
        ) from error
    change_brief(
        studio,
        session_id,
        SessionBrief(fields.name, fields.studio, fields.artist, fields.wish, time, fields.ask()),
        seen=fields.seen,
    )
    return go(f"/sessions/{session_id}/listen")
